// Command schema writes the JSON Schema of a procedure, or of an instrument's profile, from the types it is read into,
// with their comments as descriptions:
//
//	go run ./internal/definition/schema > internal/definition/schema.json
//	go run ./internal/definition/schema profile > internal/definition/profile-schema.json
package main

import (
	"encoding/json"
	"fmt"
	"os"
	"reflect"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/procedure"
	"northneedle/internal/instrument"

	"github.com/invopop/jsonschema"
)

func main() {
	write := procedures
	if len(os.Args) > 1 && os.Args[1] == "profile" {
		write = profiles
	}
	if err := write(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// profiles writes the schema of an instrument's profile.
func profiles() error {
	r := jsonschema.Reflector{FieldNameTag: "yaml", BaseSchemaID: "urn:northneedle",
		Mapper: func(t reflect.Type) *jsonschema.Schema {
			switch t {
			case reflect.TypeFor[instrument.Pattern]():
				return &jsonschema.Schema{Type: "string", Format: "regex"}
			case reflect.TypeFor[instrument.Span]():
				return &jsonschema.Schema{Type: "string", Description: "A length of time: 200 ms, 5 s."}
			}
			return nil
		}}
	if err := r.AddGoComments("northneedle", "./internal/instrument"); err != nil {
		return err
	}
	schema := r.Reflect(instrument.Profile{})
	schema.ID = "urn:northneedle:instrument:1"
	schema.Title = "North Needle instrument profile"
	schema.Description = "How a sort of instrument is spoken to. Units are UCUM codes; patterns are regular expressions with named parts."
	return put(schema)
}

func put(schema *jsonschema.Schema) error {
	out := json.NewEncoder(os.Stdout)
	out.SetIndent("", " ")
	out.SetEscapeHTML(false)
	return out.Encode(schema)
}

// procedures writes the schema of a procedure.
func procedures() error {
	r := jsonschema.Reflector{FieldNameTag: "yaml", BaseSchemaID: "urn:northneedle", Mapper: func(t reflect.Type) *jsonschema.Schema {
		if t != reflect.TypeFor[procedure.RoleList]() {
			return nil
		}
		one := &jsonschema.Schema{Type: "string"}
		return &jsonschema.Schema{OneOf: []*jsonschema.Schema{one, {Type: "array", Items: one}}}
	}}
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
	return put(schema)
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
