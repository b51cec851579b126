package people

import (
	"strings"
	"unicode"

	"github.com/mtibben/confusables"
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

// LooksLike reports whether two names that are not one name look like one: letters of another alphabet, or rn for m. Unicode TR
// 39 (confusable detection). It is a reason to look, not to refuse.
func LooksLike(one, other string) bool {
	if NameKey(one) == NameKey(other) {
		return false
	}
	return confusables.Skeleton(NameKey(one)) == confusables.Skeleton(NameKey(other)) ||
		confusables.Skeleton(norm.NFKC.String(one)) == confusables.Skeleton(norm.NFKC.String(other))
}
