package definition

import (
	"cmp"
	_ "embed" // the schema
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"northneedle/instruments"
	"northneedle/internal/instrument"
)

//go:generate sh -c "cd ../.. && go run ./internal/definition/schema profile > internal/definition/profile-schema.json"

//go:embed profile-schema.json
var profileSchema []byte

// ProfileSchema is the published JSON Schema (draft 2020-12) of an instrument's profile.
func ProfileSchema() []byte { return slices.Clone(profileSchema) }

// ReadProfile reads how a sort of instrument is spoken to. The error joins a [Mistake] for everything that is wrong,
// each with file, line and field.
func ReadProfile(file string, text []byte) (*instrument.Profile, error) {
	p := &instrument.Profile{}
	tree, err := readYAML(file, "profile", text, p)
	if err != nil {
		return nil, err
	}
	var all []error
	for _, m := range p.Check() {
		all = append(all, Mistake{file, lineOf(tree, m.Path), m.Path, m.Message})
	}
	p.Text, p.Hash = string(text), Hash(string(text))
	return p, errors.Join(all...)
}

// Profiles are the shipped profiles with a lab's own from a folder, which may not exist, in order of their ids. A lab's
// profile of the same id takes the place of the shipped one.
func Profiles(folder string) ([]*instrument.Profile, error) {
	all, err := readProfiles(instruments.Files, "instruments")
	if err != nil {
		return nil, err
	}
	if _, missing := os.Stat(folder); folder != "" && missing == nil {
		own, err := readProfiles(os.DirFS(folder), filepath.Base(folder))
		if err != nil {
			return nil, err
		}
		for _, p := range own {
			p.Own = true
			all = slices.DeleteFunc(all, func(q *instrument.Profile) bool { return q.ID == p.ID })
			all = append(all, p)
		}
	}
	slices.SortFunc(all, func(x, y *instrument.Profile) int { return cmp.Compare(x.ID, y.ID) })
	return all, nil
}

func readProfiles(folder fs.FS, name string) (all []*instrument.Profile, err error) {
	files, err := fs.Glob(folder, "*.yaml")
	if err != nil {
		return nil, err
	}
	for _, file := range files {
		text, problem := fs.ReadFile(folder, file)
		if problem != nil {
			return nil, fmt.Errorf("profile %s: %w", file, problem)
		}
		p, problem := ReadProfile(filepath.Join(name, file), text)
		if problem != nil {
			err = errors.Join(err, problem)
			continue
		}
		all = append(all, p)
	}
	return all, err
}
