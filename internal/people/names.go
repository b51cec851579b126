package people

import (
	"strings"
	"unicode"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"
)

// NameKey is what a name is compared by: two names that look alike but for case, width, spaces or invisible letters have one.
// Unicode TR 15 (NFKC) and its case folding.
func NameKey(name string) string {
	visible := strings.Map(func(r rune) rune {
		if unicode.In(r, unicode.Cf, unicode.Cc) && !unicode.IsSpace(r) {
			return -1
		}
		return r
	}, norm.NFKC.String(name))
	return strings.Join(strings.Fields(norm.NFKC.String(cases.Fold().String(visible))), " ")
}
