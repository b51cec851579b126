package definition

import (
	_ "embed"

	"northneedle/core/report"
)

//go:embed clauses.yaml
var clauses []byte

// Clauses are what inspectors ask to see, by the standards' clauses that they go by.
func Clauses() (all []report.Clause, err error) {
	_, err = readYAML("clauses.yaml", "list of clauses", clauses, &all)
	return all, err
}
