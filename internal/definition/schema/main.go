// Command schema writes the JSON Schema of a procedure file from the types it is read into, with
// their comments as descriptions: go run ./internal/definition/schema > internal/definition/schema.json
package main

import (
	"encoding/json"
	"fmt"
	"os"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/procedure"

	"github.com/invopop/jsonschema"
)

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run() error {
	r := jsonschema.Reflector{FieldNameTag: "yaml", BaseSchemaID: "urn:northneedle"}
	for _, folder := range []string{"procedure", "reference", "adjust", "conformity"} {
		if err := r.AddGoComments("northneedle", "./core/"+folder); err != nil {
			return err
		}
	}
	schema := r.Reflect(procedure.Definition{})
	schema.ID = "urn:northneedle:procedure:1"
	schema.Title = "North Needle procedure"
	schema.Description = "How a family of devices is verified. Units are UCUM codes; tolerances are limits on the error, indication minus reference."
	step := &jsonschema.Schema{Description: "One step; exactly one of the keys check, act, wait, ambient, record, measure and finding says its kind."}
	for _, kind := range []any{procedure.CheckStep{}, procedure.ActStep{}, procedure.WaitStep{},
		procedure.AmbientStep{}, procedure.RecordStep{}, procedure.Measure{}, procedure.Finding{}} {
		part := r.Reflect(kind)
		for name, definition := range part.Definitions {
			schema.Definitions[name] = definition
		}
		step.OneOf = append(step.OneOf, &jsonschema.Schema{Ref: part.Ref})
	}
	one := uint64(1)
	steps := &jsonschema.Schema{Type: "array", Items: step, MinItems: &one}
	definition := schema.Definitions["Definition"]
	definition.Properties.Set("steps", steps)
	definition.Required = append(definition.Required, "steps")
	enumerate(schema, "Policy", "school", adjust.Schools)
	enumerate(schema, "Control", "kind", adjust.Kinds)
	enumerate(schema, "Rule", "kind", conformity.RuleKinds)
	enumerate(schema, "Definition", "review", procedure.Reviews)
	out := json.NewEncoder(os.Stdout)
	out.SetIndent("", " ")
	out.SetEscapeHTML(false)
	return out.Encode(schema)
}

// enumerate lists the values that a property may have.
func enumerate[T any](schema *jsonschema.Schema, definition, property string, values []T) {
	of, ok := schema.Definitions[definition]
	if !ok {
		panic("no definition " + definition)
	}
	p, ok := of.Properties.Get(property)
	if !ok {
		panic("no property " + definition + "." + property)
	}
	p.Enum = nil
	for _, v := range values {
		p.Enum = append(p.Enum, v)
	}
}
