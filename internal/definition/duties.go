package definition

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"northneedle/core/duty"
	"northneedle/families"

	"github.com/goccy/go-yaml"
)

// Duties are the templates of what recurs on each family, with a lab's own from the
// file duties/duties.yaml in its folder of procedures, which may not exist: a list of the same
// family and model takes the place of the shipped one.
func Duties(folder string) ([]duty.Template, error) {
	var all []duty.Template
	for _, f := range families.All() {
		text, err := fs.ReadFile(f.Files, dutiesFile)
		if err != nil {
			return nil, fmt.Errorf("duties of %s: %w", f.ID, err)
		}
		found, err := ReadDuties(f.ID+"/"+dutiesFile, text)
		if err != nil {
			return nil, err
		}
		all = append(all, found...)
	}
	if folder == "" {
		return duty.Resolve(all)
	}
	file := filepath.Join(folder, "duties", dutiesFile)
	text, err := os.ReadFile(file)
	if errors.Is(err, os.ErrNotExist) {
		return duty.Resolve(all)
	}
	if err != nil {
		return nil, err
	}
	own, err := ReadDuties(file, text)
	for _, t := range own {
		at := slices.IndexFunc(all, func(s duty.Template) bool { return s.Family == t.Family && s.Model == t.Model })
		if at < 0 {
			all = append(all, t)
		} else {
			all[at] = t
		}
	}
	if err != nil {
		return nil, err
	}
	if all, err = duty.Resolve(all); err != nil {
		return nil, Mistake{File: file, Field: "takes", Message: err.Error()}
	}
	return all, nil
}

// ReadDuties reads a file of templates; its error names the file, and the line or the duty.
func ReadDuties(file string, text []byte) (all []duty.Template, err error) {
	defer func() {
		if r := recover(); r != nil {
			all, err = nil, Mistake{File: file, Message: "this is not readable as YAML"}
		}
	}()
	if err := yaml.UnmarshalWithOptions(text, &all, yaml.Strict()); err != nil {
		return nil, syntax(file, err)
	}
	for i, t := range all {
		field := fmt.Sprintf("[%d]", i)
		if t.Family == "" {
			return nil, Mistake{File: file, Field: field + ".family", Message: "is missing"}
		}
		known := map[string]bool{}
		for _, d := range t.Duties {
			if err := d.Check(); err != nil {
				return nil, Mistake{File: file, Field: field + ".duties", Message: err.Error()}
			}
			if known[d.ID] {
				return nil, Mistake{File: file, Field: field + ".duties", Message: fmt.Sprintf("%q stands twice", d.ID)}
			}
			known[d.ID] = true
		}
		for _, d := range t.Duties {
			for _, weaker := range d.Satisfies {
				if !known[weaker] || weaker == d.ID {
					return nil, Mistake{File: file, Field: field + ".duties",
						Message: fmt.Sprintf("%s satisfies %q, which is no other duty here", d.ID, weaker)}
				}
			}
		}
	}
	return all, nil
}
