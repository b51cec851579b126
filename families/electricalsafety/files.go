package electricalsafety

import "embed"

// Files are the family's procedures and its duties, as YAML.
//
//go:embed *.yaml
var Files embed.FS
