package lot_test

import (
	"strings"
	"testing"
	"time"

	"northneedle/core/lot"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestLabels(t *testing.T) {
	want := lot.Label{Item: "09999999000010", Lot: "C-4471", Expires: time.Date(2027, 11, 30, 0, 0, 0, 0, time.UTC)}
	for _, text := range []string{"(01)09999999000010(17)271130(10)C-4471", "010999999900001017271130" + "10C-4471",
		"]d2010999999900001010C-4471\x1d17271130", " (10)C-4471(17)271100(01)09999999000010 "} {
		got, err := lot.ReadLabel(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
	for text, words := range map[string]string{
		"(01)09999999000011(17)271130(10)A": "does not check",
		"(17)271130":                        "names no lot",
		"(10)A":                             "names no expiry",
		"(17)271332(10)A":                   "no date",
		"(17)270230(10)A":                   "no date",
		"(17)2711":                          "too short",
		"(99)x":                             "is not read here",
		"(10)A(10)B(17)271130":              "two labels",
		"hello":                             "not read here",
		"":                                  "names no lot",
		"(10":                               "no label",
	} {
		_, err := lot.ReadLabel(text)
		assert.ErrorContains(t, err, words, text)
	}
}

func FuzzReadLabel(f *testing.F) {
	for _, seed := range []string{"(01)09999999000010(17)271130(10)C-4471", "]C110A\x1d17", "(", "17271130", "()"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		label, err := lot.ReadLabel(text)
		if err == nil {
			require.NotEmpty(t, label.Lot)
			require.False(t, label.Expires.IsZero())
			require.False(t, strings.ContainsRune(label.Lot, 0x1d))
		}
	})
}
