package definition_test

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"northneedle/instruments"
	"northneedle/internal/definition"

	"github.com/goccy/go-yaml"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func balance(t testing.TB) string {
	t.Helper()
	text, err := instruments.Files.ReadFile("serial-balance.yaml")
	require.NoError(t, err)
	return string(text)
}

func TestShippedProfilesMeetTheirSchema(t *testing.T) {
	all, err := definition.Profiles("")
	require.NoError(t, err)
	require.Len(t, all, 19)
	document, err := jsonschema.UnmarshalJSON(bytes.NewReader(definition.ProfileSchema()))
	require.NoError(t, err)
	compiler := jsonschema.NewCompiler()
	require.NoError(t, compiler.AddResource("profile.json", document))
	schema, err := compiler.Compile("profile.json")
	require.NoError(t, err)
	for _, p := range all {
		var content any
		require.NoError(t, yaml.Unmarshal([]byte(p.Text), &content), p.ID)
		text, err := json.Marshal(content)
		require.NoError(t, err)
		instance, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
		require.NoError(t, err)
		assert.NoError(t, schema.Validate(instance), p.ID)
		assert.Equal(t, definition.Hash(p.Text), p.Hash)
	}
}

func TestMistakesInAProfileNameLineAndField(t *testing.T) {
	for name, c := range map[string]struct{ was, is, words string }{
		"no value":       {`(?P<value>[+-]? *\d+\.\d+)`, `([+-]?\d+\.\d+)`, `serial-balance.yaml:14: channels[0].match: the pattern has no part (?P<value>…)`},
		"a wrong unit":   {"unit: g", "unit: gramm", `:12: channels[0].unit: "gramm" is no UCUM unit`},
		"no line end":    {"ends: CRLF", "ends: LFCR", `:6: line.ends: "LFCR": say CRLF, LF or CR`},
		"stop bits":      {"stop: 1", "stop: 3", `:5: link.serial: 3 stop bits`},
		"what is never":  {"send: TARE", "send: CAL 0", `acts.tare.send: sends "CAL 0", which stands under never`},
		"no such field":  {"refused:", "refuses:", `refuses: is not a field that belongs here`},
		"no pattern":     {`'^NO (?P<reason>.*)$'`, `'^NO ('`, `serial-balance.yaml:8: refused: error parsing regexp`},
		"no time":        {"every: 200 ms", "every: often", `is no length of time`},
		"twice":          {"acts:", "  - { id: averaging, send: \"A {value}\" }\nacts:", `"averaging" is missing or stands twice`},
		"nothing to set": {`"AVG {value}"`, `"AVG"`, `settings[0].send: has no {value}`},
	} {
		t.Run(name, func(t *testing.T) {
			text := balance(t)
			require.Contains(t, text, c.was)
			_, err := definition.ReadProfile("serial-balance.yaml", []byte(strings.Replace(text, c.was, c.is, 1)))
			assert.ErrorContains(t, err, c.words)
		})
	}
}

func TestALabsOwnProfileTakesThePlaceOfTheShipped(t *testing.T) {
	folder := t.TempDir()
	own := strings.Replace(balance(t), "every: 200 ms", "every: 400 ms", 1)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "own.yaml"), []byte(own), 0o600))
	all, err := definition.Profiles(folder)
	require.NoError(t, err)
	require.Len(t, all, 19)
	for _, p := range all {
		assert.Equal(t, p.ID == "serial-balance", p.Own)
	}
}

func FuzzReadProfile(f *testing.F) {
	f.Add(balance(f))
	f.Fuzz(func(t *testing.T, text string) {
		p, err := definition.ReadProfile("own.yaml", []byte(text))
		if err == nil {
			require.NotEmpty(t, p.Channels)
		}
	})
}
