package families_test

import (
	"testing"

	"northneedle/core/procedure"
	"northneedle/families"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestEveryWayOfCapturingSaysWhatItWaitsFor(t *testing.T) {
	all := families.Catalogue().Captures
	require.Contains(t, all, "capnogram")
	require.Contains(t, all, "steady")
	for name, method := range all {
		for _, in := range []procedure.CaptureInput{{}, {Channels: []string{"X"}, Rate: 100, Count: 3, Limit: 1}} {
			live := method.Read(in)
			assert.False(t, live.Steady, name)
			assert.NotEmpty(t, live.Why, name)
			assert.Empty(t, live.Values, name)
		}
	}
}

// TestNoTwoFamiliesUseOneName: a name that stood twice would be silently replaced.
func TestNoTwoFamiliesUseOneName(t *testing.T) {
	seen := map[string]string{}
	note := func(kind, name, family string) {
		key := kind + " " + name
		assert.Empty(t, seen[key], "%s of %s", key, family)
		seen[key] = family
	}
	for _, f := range families.All() {
		for name := range f.Catalogue.Methods {
			note("method", name, f.ID)
		}
		for name := range f.Catalogue.Captures {
			note("capture", name, f.ID)
		}
		for name := range f.Catalogue.Patterns {
			note("pattern", name, f.ID)
		}
		for name := range f.Catalogue.Tables {
			note("table", name, f.ID)
		}
	}
	require.NotEmpty(t, seen)
}
