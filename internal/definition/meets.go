package definition

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"sync"

	"github.com/goccy/go-yaml"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"golang.org/x/text/language"
	"golang.org/x/text/message"
)

// published is the schema of procedures, ready to hold files against.
var published = sync.OnceValues(func() (*jsonschema.Schema, error) {
	document, err := jsonschema.UnmarshalJSON(bytes.NewReader(schema))
	if err != nil {
		return nil, err
	}
	compiler := jsonschema.NewCompiler()
	if err := compiler.AddResource("procedure.json", document); err != nil {
		return nil, err
	}
	return compiler.Compile("procedure.json")
})

// Meets holds a procedure that somebody hands in against the published schema, which other programs go by. The error is a
// [Mistake]. Revisions that are kept already are not held against it: it may have become stricter since.
func Meets(file string, text []byte) error {
	rules, err := published()
	if err != nil {
		return err
	}
	var data any
	if err := yaml.Unmarshal(text, &data); err != nil {
		return syntax(file, err)
	}
	plain, err := json.Marshal(data)
	if err != nil {
		return Mistake{File: file, Message: err.Error()}
	}
	value, err := jsonschema.UnmarshalJSON(bytes.NewReader(plain))
	if err != nil {
		return err
	}
	var wrong *jsonschema.ValidationError
	if err := rules.Validate(value); !errors.As(err, &wrong) {
		return err
	}
	for len(wrong.Causes) > 0 {
		wrong = wrong.Causes[0]
	}
	var path strings.Builder
	for _, part := range wrong.InstanceLocation {
		if _, err := strconv.Atoi(part); err == nil {
			fmt.Fprintf(&path, "[%s]", part)
			continue
		}
		path.WriteString("." + part)
	}
	at := strings.TrimPrefix(path.String(), ".")
	var d document
	tree, err := readYAML(file, "procedure", text, &d)
	if err != nil {
		return err
	}
	return Mistake{file, lineOf(tree, at), at, wrong.ErrorKind.LocalizedString(message.NewPrinter(language.English))}
}
