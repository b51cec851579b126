// Package maintenance holds the exchange of parts that devices of any family have: batteries and filters.
package maintenance

import (
	"embed"

	"northneedle/core/procedure"
)

// Files are the procedures and the duties, as YAML.
//
//go:embed *.yaml
var Files embed.FS

// Catalogue is empty: nothing is measured.
var Catalogue = procedure.Catalogue{}
