package procedures_test

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"northneedle/procedures"

	"github.com/goccy/go-yaml"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestShippedFilesMeetTheSchema(t *testing.T) {
	document, err := jsonschema.UnmarshalJSON(bytes.NewReader(procedures.Schema()))
	require.NoError(t, err)
	compiler := jsonschema.NewCompiler()
	require.NoError(t, compiler.AddResource("procedure.json", document))
	schema, err := compiler.Compile("procedure.json")
	require.NoError(t, err)

	files, err := filepath.Glob("*.yaml")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, file := range files {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		var data any
		require.NoError(t, yaml.Unmarshal(text, &data))
		plain, err := json.Marshal(data)
		require.NoError(t, err)
		value, err := jsonschema.UnmarshalJSON(bytes.NewReader(plain))
		require.NoError(t, err)
		assert.NoError(t, schema.Validate(value), file)

		broken := value.(map[string]any)
		first := broken["steps"].([]any)[0].(map[string]any)
		first["wait"], first["act"] = "two kinds", "at once"
		assert.Error(t, schema.Validate(broken), "the schema must refuse a step of two kinds")
	}
	shipped, err := procedures.Shipped()
	require.NoError(t, err)
	assert.Len(t, shipped, len(files))
}

func TestMistakesNameFileLineAndField(t *testing.T) {
	for _, c := range []struct{ file, name, old, new, want string }{
		{"capnograph", "tolerance", `tolerance: "±(0.43 + 8 % of reading)"`, `tolerance: "±(0.43 + 8 % of"`, "tolerance"},
		{"capnograph", "unit", `unit: "%{vol}"` + "\n    resolution", `unit: furlong` + "\n    resolution", "unit"},
		{"capnograph", "method", "method: co2", "method: guess", "method"},
		{"capnograph", "unknown field", "minutes: 5", "minuets: 5", "minuets"},
		{"capnograph", "role", "at: gas10.CO2", "at: gas11.CO2", "points[2].at"},
		{"capnograph", "loose end", "closes: [Gas open]", "closes: [Tap open]", "closes[0]"},
		{"capnograph", "judges", "judges: [spo2, pulse]", "judges: [spo2, puls]", "judges[1]"},
		{"capnograph", "revision", "revision: 1", "revision: 0", "revision"},
		{"spirometer", "what a reader does not ask for", "low: 0.5, high: 1.5, direction: 1 }", "slow: 0.5, high: 1.5, direction: 1 }", "with.slow"},
		{"spirometer", "a school's tolerance", `tolerance: "±0.05" }` + "\n      - { title: within 5", `tolerance: "0.05" }` + "\n      - { title: within 5", "schools[0].tolerance"},
		{"spirometer", "a pattern", "pattern: strokes", "pattern: waves", "pattern"},
		{"spirometer", "a way of capturing", "kind: strokes", "kind: guess", "capture.kind"},
		{"spirometer", "a kind of control", "kind: table, step", "kind: chair, step", "controls[1].kind"},
		{"spirometer", "an instrument's setting", `drive: { stroke: "0" }`, `drive: { "stroke 1;": "0" }`, "drive"},
		{"breath-monitor", "a window backwards", "from: 15, to: 30, why", "from: 35, to: 30, why", "temperature"},
		{"metabolic-cart", "who may leave it out", "skip: lead", "skip: anyone", "skip"},
		{"patient-scale", "a direction", "direction: falling", "direction: sideways", "direction"},
		{"ventilator", "a choice that must equal what is none", "same_as: flowing", "same_as: flows", "fields[1].same_as"},
		{"ventilator", "a preparation's hours", "hours: 12", "hours: 0", "prepared[0].hours"},
		{"ventilator-pre-use", "what a part makes void", "[co2-zero]", "[co2]", "parts[2].invalidates[0]"},
		{"ventilator-pre-use", "how a check is answered", "answers: passed\n  - check: Circuit", "answers: well\n  - check: Circuit", "answers"},
		{"flow-analyser", "what a control acts on", "on: [rest-flow, rest-pressure]", "on: [rest-flow, volume]", "controls[0].on[1]"},
		{"metabolic-cart", "a point for a role that is not optional", "with: { o2: 1, air: 1 }", "when: gas1, with: { o2: 1, air: 1 }", "points[0].when"},
		{"capnograph", "not yaml", "family: capnograph", "family: [capnograph", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			text, err := os.ReadFile(c.file + ".yaml")
			require.NoError(t, err)
			require.Contains(t, string(text), c.old)
			_, err = procedures.Read("lab.yaml", []byte(strings.Replace(string(text), c.old, c.new, 1)))
			require.Error(t, err)
			line := 1 + strings.Count(string(text[:strings.Index(string(text), c.old)]), "\n")
			first, _, _ := strings.Cut(err.Error(), "\n")
			assert.Regexp(t, `^lab\.yaml:\d+: `, first)
			assert.Contains(t, err.Error(), c.want)
			if c.name != "not yaml" && c.name != "unit" {
				assert.Contains(t, err.Error(), "lab.yaml:"+itoa(line)+":", "the line of the mistake")
			}
		})
	}
}

func itoa(n int) string { b, _ := json.Marshal(n); return string(b) }

func TestLabFolderOverridesByID(t *testing.T) {
	folder := t.TempDir()
	text, err := os.ReadFile("capnograph.yaml")
	require.NoError(t, err)
	own := strings.Replace(strings.Replace(string(text), "revision: 1", "revision: 7", 1), "minutes: 5", "minutes: 0.5", 1)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "own.yaml"), []byte(own), 0o600))
	all, err := procedures.All(folder)
	require.NoError(t, err)
	shipped, _ := procedures.Shipped()
	require.Len(t, all, len(shipped))
	for i, p := range all {
		if p.ID == "capnograph-oximeter-verification" {
			assert.Equal(t, 7, p.Revision)
			assert.NotEqual(t, procedures.Hash(shipped[i]), procedures.Hash(p))
		}
	}
}

func FuzzRead(f *testing.F) {
	files, _ := filepath.Glob("*.yaml")
	for _, file := range files {
		text, err := os.ReadFile(file)
		require.NoError(f, err)
		f.Add(text)
	}
	f.Add([]byte("id: x\nsteps: [{check: &a b}, {check: *a}]"))
	f.Add([]byte("steps:\n  - measure: m\n    points: [{at: '% of '}]\n"))
	f.Fuzz(func(t *testing.T, text []byte) {
		if p, err := procedures.Read("fuzz.yaml", text); err == nil {
			require.Empty(t, p.Check())
			require.NotEmpty(t, p.Way())
		} else {
			require.NotEmpty(t, err.Error())
		}
	})
}
