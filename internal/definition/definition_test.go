package definition_test

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"northneedle/internal/definition"

	"github.com/goccy/go-yaml"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// shippedFiles are the families' procedures.
func shippedFiles(t testing.TB) []string {
	t.Helper()
	all, err := filepath.Glob("../../families/*/*.yaml")
	require.NoError(t, err)
	all = slices.DeleteFunc(all, func(file string) bool { return filepath.Base(file) == "duties.yaml" })
	require.NotEmpty(t, all)
	return all
}

func TestShippedFilesMeetTheSchema(t *testing.T) {
	document, err := jsonschema.UnmarshalJSON(bytes.NewReader(definition.Schema()))
	require.NoError(t, err)
	compiler := jsonschema.NewCompiler()
	require.NoError(t, compiler.AddResource("procedure.json", document))
	schema, err := compiler.Compile("procedure.json")
	require.NoError(t, err)

	files := shippedFiles(t)
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
	shipped, err := definition.Shipped()
	require.NoError(t, err)
	assert.Len(t, shipped, len(files))
}

func TestMistakesNameFileLineAndField(t *testing.T) {
	for _, c := range []struct{ file, name, old, new, want string }{
		{"capnograph/procedure", "tolerance", `tolerance: "±(0.43 + 8 % of reading)"`, `tolerance: "±(0.43 + 8 % of"`,
			"tolerance"},
		{"capnograph/procedure", "unit", `unit: "%{vol}"` + "\n    resolution", `unit: furlong` + "\n    resolution",
			"unit"},
		{"capnograph/procedure", "method", "method: co2", "method: guess", "method"},
		{"capnograph/procedure", "unknown field", "minutes: 5", "minuets: 5", "minuets"},
		{"capnograph/procedure", "role", "at: gas10.CO2", "at: gas11.CO2", "points[2].at"},
		{"capnograph/procedure", "loose end", "closes: [Gas open]", "closes: [Tap open]", "closes[0]"},
		{"capnograph/procedure", "judges", "judges: [spo2, pulse]", "judges: [spo2, puls]", "judges[1]"},
		{"capnograph/procedure", "revision", "revision: 4", "revision: 0", "revision"},
		{"spirometer/procedure", "what a reader does not ask for", "low: 0.5, high: 1.5, direction: 1 }",
			"slow: 0.5, high: 1.5, direction: 1 }", "with.slow"},
		{"spirometer/procedure", "a school's tolerance", `tolerance: "±0.05" }` + "\n      - { title: within 5",
			`tolerance: "0.05" }` + "\n      - { title: within 5", "schools[0].tolerance"},
		{"spirometer/procedure", "a pattern", "pattern: strokes", "pattern: waves", "pattern"},
		{"spirometer/procedure", "a way of capturing", "kind: strokes", "kind: guess", "capture.kind"},
		{"spirometer/procedure", "a kind of control", "kind: table, step", "kind: chair, step", "controls[1].kind"},
		{"spirometer/procedure", "an instrument's setting", `drive: { stroke: "0" }`, `drive: { "stroke 1;": "0" }`,
			"drive"},
		{"breathmonitor/procedure", "a window backwards", "from: 15, to: 30, why", "from: 35, to: 30, why",
			"temperature"},
		{"metaboliccart/procedure", "who may leave it out", "skip: lead", "skip: anyone", "skip"},
		{"patientscale/procedure", "a direction", "direction: falling", "direction: sideways", "direction"},
		{"ventilator/performance", "a choice that must equal what is none", "same_as: flowing", "same_as: flows",
			"fields[1].same_as"},
		{"ventilator/performance", "a preparation's hours", "hours: 12", "hours: 0", "prepared[0].hours"},
		{"ventilator/pre-use", "what a part makes void", "[co2-sensor-warms-up, co2-zero]", "[co2, co2-zero]",
			"parts[2].invalidates[0]"},
		{"ventilator/pre-use", "how a check is answered", "answers: passed\n  - record: Set-up",
			"answers: well\n  - record: Set-up", "answers"},
		{"flowanalyser/procedure", "what a control acts on", "on: [rest-flow, rest-pressure]",
			"on: [rest-flow, volume]", "controls[0].on[1]"},
		{"metaboliccart/procedure", "a point for a role that is not optional", "with: { o2: 1, air: 1 }",
			"when: gas1, with: { o2: 1, air: 1 }", "points[0].when"},
		{"capnograph/procedure", "a field of another kind of step", "minutes: 5\n", "minutes: 5\n    answers: passed\n",
			"answers"},
		{"bloodgas/electronic", "a loose end for good", "opens: Reference cartridge out of its pouch", "opens: The lid",
			"steps[1].opens"},
		{"infusionpump/procedure", "a figure's limits backwards", "min: 15, max: 35", "min: 45, max: 35", "fields[1].min"},
		{"capnograph/procedure", "causes of no shape", "      gain:\n        - The gas value",
			"      gains:\n        - The gas value",
			"causes.gains"},
		{"ventilator/part-kit", "a part without a title", "title: Fan filter, unmarked", "unmarked", "steps[5].parts[2].title"},
		{"ventilator/part-kit", "a part twice", "id: fan-filter", "id: inlet-filter", "parts[2].id"},
		{"ventilator/part-kit", "what is kept of a device", "keeps: software", "keeps: colour", "keeps"},
		{"bloodgas/pump", "a counter with a unit", "counts: samples", "unit: L, counts: samples", "fields[0].counts"},
		{"bloodgas/pump", "nothing to set back", "counts: samples, set_back", "unit: L, set_back", "fields[0].set_back"},
		{"capnograph/procedure", "a measure in what maintains", "family: capnograph", "maintains: true\nfamily: capnograph", "maintains"},
		{"capnograph/procedure", "not yaml", "family: capnograph", "family: [capnograph", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			text, err := os.ReadFile("../../families/" + c.file + ".yaml")
			require.NoError(t, err)
			require.Contains(t, string(text), c.old)
			_, err = definition.Read("lab.yaml", []byte(strings.Replace(string(text), c.old, c.new, 1)))
			require.Error(t, err)
			line := 1 + strings.Count(string(text[:strings.Index(string(text), c.old)]), "\n")
			first, _, _ := strings.Cut(err.Error(), "\n")
			assert.Regexp(t, `^lab\.yaml:\d+: `, first)
			assert.Contains(t, err.Error(), c.want)
			if c.name != "not yaml" && c.name != "unit" && c.name != "a field of another kind of step" && c.name != "causes of no shape" {
				assert.Contains(t, err.Error(), "lab.yaml:"+itoa(line)+":", "the line of the mistake")
			}
		})
	}
}

func itoa(n int) string { b, _ := json.Marshal(n); return string(b) }

func TestLabFolderOverridesByID(t *testing.T) {
	folder := t.TempDir()
	text, err := os.ReadFile("../../families/capnograph/procedure.yaml")
	require.NoError(t, err)
	own := strings.Replace(strings.Replace(string(text), "revision: 4", "revision: 7", 1), "minutes: 5",
		"minutes: 0.5", 1)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "own.yaml"), []byte(own), 0o600))
	all, err := definition.All(folder)
	require.NoError(t, err)
	shipped, _ := definition.Shipped()
	require.Len(t, all, len(shipped))
	for i, p := range all {
		if p.ID == "capnograph-oximeter-verification" {
			assert.Equal(t, 7, p.Revision)
			assert.NotEqual(t, shipped[i].Hash, p.Hash)
			assert.Equal(t, definition.Hash(own), p.Hash, "the text is the identity")
		}
	}
}

func FuzzRead(f *testing.F) {
	for _, file := range shippedFiles(f) {
		text, err := os.ReadFile(file)
		require.NoError(f, err)
		f.Add(text)
	}
	f.Add([]byte("id: x\nsteps: [{check: &a b}, {check: *a}]"))
	f.Add([]byte("steps:\n  - measure: m\n    points: [{at: '% of '}]\n"))
	f.Fuzz(func(t *testing.T, text []byte) {
		if p, err := definition.Read("fuzz.yaml", text); err == nil {
			require.Equal(t, string(text), p.Text)
			require.NotEmpty(t, p.Way())
		} else {
			require.NotEmpty(t, err.Error())
		}
	})
}
