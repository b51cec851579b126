package api_test

import (
	"encoding/json"
	"flag"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"

	"northneedle/internal/api"
	"northneedle/internal/workshop"

	"northneedle/core/runview"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// operation is one of the API's, as its description has it.
type operation struct {
	id, verb, path string
	parameters     []any
	body           map[string]any
}

// described reads the operations of the API that answer at once and take JSON.
func described(t *testing.T) (all []operation, schemas map[string]any) {
	t.Helper()
	text, err := api.Description()
	require.NoError(t, err)
	var d struct {
		Paths      map[string]map[string]map[string]any
		Components struct{ Schemas map[string]any }
	}
	require.NoError(t, json.Unmarshal(text, &d))
	for path, verbs := range d.Paths {
		for verb, o := range verbs {
			one := operation{id: o["operationId"].(string), verb: strings.ToUpper(verb), path: path}
			if slices.Contains([]string{"changes", "live", "sign-out", "sign-in", "lock", "check-record"},
				one.id) { // streams, what ends the test, and what takes seconds and is asked for nothing
				continue
			}
			one.parameters, _ = o["parameters"].([]any)
			if body, ok := o["requestBody"].(map[string]any); ok {
				content, ok := body["content"].(map[string]any)["application/json"].(map[string]any)
				if !ok {
					continue
				}
				one.body = content["schema"].(map[string]any)
			}
			all = append(all, one)
		}
	}
	slices.SortFunc(all, func(a, b operation) int { return strings.Compare(a.id, b.id) })
	return all, d.Components.Schemas
}

// anything makes requests up: some as they are described, with names that exist, and
// some that are not.
type anything struct {
	schemas map[string]any
	names   []string // that stand for something in the house
}

var odd = []any{nil, "", " ", "0", "-1", "1e308", "NaN", "5,02", "±5 %", "ß₂µ°\u0000", "../../etc",
	"'; DROP TABLE runs; --", strings.Repeat("9", 400), 0, -1, 1e308, -1e-308, 1 << 53, true, []any{}, map[string]any{},
	"2026-02-30", "9999-12-31T23:59:59Z", "0001-01-01T00:00:00Z"}

func (a anything) value(t *rapid.T, schema map[string]any, depth int) any {
	if ref, ok := schema["$ref"].(string); ok {
		schema, _ = a.schemas[ref[strings.LastIndex(ref, "/")+1:]].(map[string]any)
	}
	if rapid.IntRange(0, 24).Draw(t, "odd") == 0 || depth > 5 {
		return rapid.SampledFrom(odd).Draw(t, "value")
	}
	if choices, ok := schema["enum"].([]any); ok {
		return rapid.SampledFrom(choices).Draw(t, "choice")
	}
	kind, _ := schema["type"].(string)
	if kinds, ok := schema["type"].([]any); ok {
		kind, _ = kinds[0].(string)
	}
	switch kind {
	case "object":
		made := map[string]any{}
		properties, _ := schema["properties"].(map[string]any)
		required, _ := schema["required"].([]any)
		for name, s := range properties {
			if slices.Contains(required, any(name)) && rapid.IntRange(0, 30).Draw(t, "left out") > 0 ||
				rapid.Bool().Draw(t, "given") {
				made[name] = a.value(t, s.(map[string]any), depth+1)
			}
		}
		if more, ok := schema["additionalProperties"].(map[string]any); ok {
			for range rapid.IntRange(0, 2).Draw(t, "more") {
				made[rapid.SampledFrom(a.names).Draw(t, "key")] = a.value(t, more, depth+1)
			}
		}
		return made
	case "array":
		made := []any{}
		items, _ := schema["items"].(map[string]any)
		for range rapid.IntRange(0, 3).Draw(t, "items") {
			made = append(made, a.value(t, items, depth+1))
		}
		return made
	case "integer":
		return rapid.OneOf(rapid.IntRange(0, 20), rapid.IntRange(-5000, 5000)).Draw(t, "whole")
	case "number":
		return rapid.OneOf(rapid.Float64Range(0, 100), rapid.Float64Range(-1e12, 1e12)).Draw(t, "number")
	case "boolean":
		return rapid.Bool().Draw(t, "boolean")
	}
	return a.text(t, schema)
}

func (a anything) text(t *rapid.T, schema map[string]any) string {
	if schema["format"] == "date-time" {
		return rapid.SampledFrom([]string{"2026-11-24T09:00:00Z", "2027-02-01T00:00:00+01:00",
			"1999-12-31T23:59:59Z"}).Draw(t, "time")
	}
	if schema["format"] == "date" {
		return rapid.SampledFrom([]string{"2026-11-24", "2027-02-28", "1999-12-31", "0000-01-01", "2026-02-30",
			"24.11.2026", ""}).Draw(t, "day")
	}
	switch rapid.IntRange(0, 5).Draw(t, "text") {
	case 0:
		return rapid.SampledFrom([]string{"5", "5.02", "0,04", "21,4", "1008", "46", "101.3", "±2 %", "2026-11-25",
			"08:00", "% CO2", "mL/min"}).Draw(t, "typed")
	case 1:
		return rapid.StringN(0, 60, 200).Draw(t, "words")
	}
	return rapid.SampledFrom(a.names).Draw(t, "name")
}

// address fills in the path and the query of an operation.
func (a anything) address(t *rapid.T, o operation) string {
	path, query := o.path, url.Values{}
	for _, p := range o.parameters {
		p := p.(map[string]any)
		schema, _ := p["schema"].(map[string]any)
		name := p["name"].(string)
		value := fmt.Sprint(a.value(t, schema, 0))
		switch p["in"] {
		case "path":
			if strings.Contains(path, "{"+name+"}") && (value == "" || value == "." || value == "..") {
				value = "none"
			}
			path = strings.ReplaceAll(path, "{"+name+"}", url.PathEscape(value))
		case "query":
			if rapid.Bool().Draw(t, "asked") {
				query.Set(name, value)
			}
		}
	}
	if len(query) > 0 {
		path += "?" + query.Encode()
	}
	return path
}

// sameEachTime draws so many sequences, the same ones in every run of the tests, unless a seed is given:
// -rapid.seed with another one, and -rapid.checks with more, look further.
func sameEachTime(t *testing.T, checks int) {
	if flag.Lookup("rapid.seed").Value.String() != "0" {
		return
	}
	for name, value := range map[string]string{"rapid.seed": "40", "rapid.checks": fmt.Sprint(checks)} {
		given := flag.Lookup(name)
		before := given.Value.String()
		require.NoError(t, given.Value.Set(value))
		t.Cleanup(func() { given.Value.Set(before) })
	}
}

// Whatever is sent, the answer is an answer or a problem in words that say what it is
// about, never a failure of the server; and the record's chain holds afterwards.
func TestAnythingIsAnsweredOrRefusedInWords(t *testing.T) {
	if testing.Short() {
		t.Skip("every operation, for half a minute")
	}
	h := newHouse(t)
	c := h.signedIn("Tamsin Orrery")
	operations, schemas := described(t)
	require.Greater(t, len(operations), 70)
	a := anything{schemas: schemas}
	today := get[workshop.TodayView](c, "/api/today")
	for _, d := range append(today.Overdue, today.Due...) {
		a.names = append(a.names, d.Tag, d.Asset, d.Procedure, d.Site, d.Title)
	}
	opened := c.open("MB-0417")
	for _, s := range opened.Steps {
		a.names = append(a.names, s.ID)
	}
	for _, m := range opened.Measures {
		a.names = append(a.names, m.ID, m.Unit)
		for _, p := range m.Points {
			a.names = append(a.names, p.ID)
		}
	}
	for _, r := range opened.Roles {
		a.names = append(a.names, r.ID)
	}
	for _, s := range get[[]workshop.StandardView](c, "/api/standards") {
		a.names = append(a.names, s.ID, s.Tag, s.Kind)
	}
	for _, act := range get[workshop.AssetView](c, "/api/assets/MB-0417").Activities {
		a.names = append(a.names, act.ID)
	}
	for _, b := range get[[]workshop.LookBackBrief](c, "/api/look-backs") {
		a.names = append(a.names, b.ID)
	}
	a.names = slices.DeleteFunc(a.names, func(s string) bool { return s == "" })
	answered := map[string]bool{}
	sameEachTime(t, 30)
	rapid.Check(t, func(r *rapid.T) {
		for range 25 {
			o := rapid.SampledFrom(operations).Draw(r, "operation")
			path := a.address(r, o)
			var body any
			if o.body != nil {
				made := a.value(r, o.body, 0)
				if command, ok := made.(map[string]any); ok && o.id == "command" && rapid.Bool().Draw(r, "in time") {
					path = "/api/runs/" + opened.ID + "/commands"
					command["expect"] = get[runview.View](c, "/api/runs/"+opened.ID).Seq
				}
				body = made
			}
			status, text := c.call(o.verb, path, body)
			said, _ := json.Marshal(body)
			if status >= http.StatusInternalServerError {
				r.Fatalf("%s %s %s answered %d: %s", o.verb, path, said, status, text)
			}
			answered[o.id] = answered[o.id] || status < 400
			if status < 400 {
				continue
			}
			var p api.Problem
			require.NoError(r, json.Unmarshal(text, &p), string(text))
			require.NotEmpty(r, p.Detail, "%s %s %s: %s", o.verb, path, said, text)
			if status == http.StatusUnprocessableEntity {
				require.NotEmpty(r, p.Field+p.Code, "%s %s %s: %s", o.verb, path, said, text)
			}
		}
	})
	for _, o := range operations {
		if !answered[o.id] {
			t.Log("never answered:", o.id)
		}
	}
	require.Greater(t, len(answered), 40)
	_, err := h.ledger.Verify()
	require.NoError(t, err)
	differences, err := h.ledger.Rebuild()
	require.NoError(t, err)
	require.Empty(t, differences, "what is listed is what the events say")
}
