package families_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
)

// The vectors were computed independently of this project, from published formulas.
// A case compares by its own rule, or its file's: relative, absolute, or either where
// both are given; text, truth and null exactly. NEEDLE_VECTORS, an absolute path,
// replaces the folder; then every topic in that folder runs.

type rule struct {
	Rel     *float64        `json:"rel"`
	Abs     *float64        `json:"abs"`
	Exact   bool            `json:"exact"`
	PerCase bool            `json:"per_case"`
	Fields  map[string]rule `json:"fields"`
}

type vectorCase struct {
	Name    string          `json:"name"`
	Given   json.RawMessage `json:"given"`
	Expect  map[string]any  `json:"expect"`
	Compare *rule           `json:"compare"`
}

type vectorFile struct {
	Topic   string       `json:"topic"`
	Source  string       `json:"source"`
	Compare rule         `json:"compare"`
	Cases   []vectorCase `json:"cases"`
}

// strict reads JSON and refuses fields that the reader does not know.
func strict(raw []byte, into any) error {
	d := json.NewDecoder(bytes.NewReader(raw))
	d.DisallowUnknownFields()
	return d.Decode(into)
}

// of makes a topic from a function on its typed input.
func of[G any](compute func(G) (map[string]any, error)) func(json.RawMessage) (map[string]any, error) {
	return func(raw json.RawMessage) (map[string]any, error) {
		var g G
		if err := strict(raw, &g); err != nil {
			return nil, err
		}
		return compute(g)
	}
}

// kinds makes a topic whose cases are of several kinds.
func kinds(by map[string]func(json.RawMessage) (map[string]any, error)) func(json.RawMessage) (map[string]any, error) {
	return func(raw json.RawMessage) (map[string]any, error) {
		fields := map[string]json.RawMessage{}
		var kind string
		if err := json.Unmarshal(raw, &fields); err != nil {
			return nil, err
		}
		if err := json.Unmarshal(fields["kind"], &kind); err != nil || by[kind] == nil {
			return nil, fmt.Errorf("kind %q is not known", kind)
		}
		delete(fields, "kind")
		rest, err := json.Marshal(fields)
		if err != nil {
			return nil, err
		}
		return by[kind](rest)
	}
}

func TestVectors(t *testing.T) {
	folder := os.Getenv("NEEDLE_VECTORS")
	own := folder == ""
	if own {
		folder = filepath.Join("..", "testdata", "vectors")
	}
	files, err := filepath.Glob(filepath.Join(folder, "*.json"))
	require.NoError(t, err)
	require.NotEmpty(t, files, "no vectors in %s", folder)
	ran := map[string]bool{}
	for _, file := range files {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		var v vectorFile
		require.NoError(t, strict(text, &v), file)
		compute, known := topics[v.Topic]
		require.True(t, known, "%s: topic %q is not covered", file, v.Topic)
		require.NotEmpty(t, v.Cases, file)
		ran[v.Topic] = true
		for _, c := range v.Cases {
			t.Run(v.Topic+"/"+c.Name, func(t *testing.T) { runCase(t, compute, v.Compare, c) })
		}
	}
	if own {
		require.Len(t, ran, len(topics), "every topic the core covers has its vectors")
	}
}

func runCase(t *testing.T, compute func(json.RawMessage) (map[string]any, error), r rule, c vectorCase) {
	got, err := compute(c.Given)
	require.NoError(t, err)
	if c.Compare != nil {
		r = *c.Compare
	}
	require.NotEmpty(t, c.Expect)
	for field, want := range c.Expect {
		value, ok := got[field]
		require.True(t, ok, "field %s is not known", field)
		require.NoError(t, compare(field, want, value, r), field)
	}
}

// compare holds what was got against what was wanted, down into lists and objects.
func compare(field string, want, got any, r rule) error {
	if one, ok := r.Fields[field]; ok {
		one.Fields = r.Fields
		r = one
	}
	switch w := want.(type) {
	case []any:
		g, ok := got.([]any)
		if !ok || len(g) != len(w) {
			return fmt.Errorf("want %v, got %v", want, got)
		}
		for i := range w {
			if err := compare(field, w[i], g[i], r); err != nil {
				return fmt.Errorf("%d: %w", i, err)
			}
		}
		return nil
	case map[string]any:
		g, ok := got.(map[string]any)
		if !ok {
			return fmt.Errorf("want %v, got %v", want, got)
		}
		for name := range w {
			value, known := g[name]
			if !known {
				return fmt.Errorf("field %s is not known", name)
			}
			if err := compare(name, w[name], value, r); err != nil {
				return fmt.Errorf("%s: %w", name, err)
			}
		}
		return nil
	case float64:
		return compareNumber(w, got, r)
	}
	if want != got {
		return fmt.Errorf("want %v, got %v", want, got)
	}
	return nil
}

func compareNumber(want float64, got any, r rule) error {
	g, ok := got.(float64)
	if !ok {
		return fmt.Errorf("want %v, got %v", want, got)
	}
	d := math.Abs(g - want)
	near := d == 0
	if r.Rel != nil {
		near = near || d <= *r.Rel*math.Abs(want) || want == 0 && d <= 1e-9
	}
	if r.Abs != nil {
		near = near || d <= *r.Abs
	}
	if !near {
		return fmt.Errorf("want %v, got %v", want, g)
	}
	return nil
}

// list makes numbers comparable with those read from JSON.
func list[N float64 | int](numbers []N) []any {
	all := make([]any, len(numbers))
	for i, n := range numbers {
		all[i] = float64(n)
	}
	return all
}
