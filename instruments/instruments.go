// Package instruments holds the profiles of instruments that ship: how each sort is spoken to, as data.
package instruments

import "embed"

// Files are the profiles, one in each file.
//
//go:embed *.yaml
var Files embed.FS
