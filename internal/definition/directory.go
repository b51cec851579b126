package definition

import (
	"fmt"
	"os"

	"northneedle/core/person"
)

// Directory reads how people of the house's directory sign in here. Its errors name the file and the field.
func Directory(file string) (*person.Directory, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	d := &person.Directory{Claim: "groups"}
	if _, err := readYAML(file, "directory", text, d); err != nil {
		return nil, err
	}
	if err := d.Check(); err != nil {
		return nil, fmt.Errorf("%s:\n%w", file, err)
	}
	return d, nil
}
