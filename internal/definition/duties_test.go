package definition_test

import (
	"os"
	"path/filepath"
	"testing"

	"northneedle/core/duty"
	"northneedle/internal/definition"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestEveryShippedDutyCanBeDone(t *testing.T) {
	all, err := definition.Duties("")
	require.NoError(t, err)
	shipped, err := definition.Shipped()
	require.NoError(t, err)
	fits := map[string]func(family string) bool{}
	recurs := map[string]bool{}
	for _, p := range shipped {
		fits[p.ID] = p.Fits
	}
	for _, template := range all {
		for _, d := range template.Duties {
			if d.Procedure == "" {
				continue
			}
			require.NotNil(t, fits[d.Procedure], d.Procedure)
			assert.True(t, fits[d.Procedure](template.Family), "%s is done by a procedure of its family, or a shared one", d.ID)
			recurs[d.Procedure] = true
		}
	}
	for _, p := range shipped {
		if p.Next.Each == "" {
			assert.True(t, recurs[p.ID], "%s recurs on nothing", p.ID)
		}
	}
}

func TestALabsOwnDutiesTakeThePlaceOfTheShipped(t *testing.T) {
	folder := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(folder, "duties"), 0o700))
	write := func(text string) {
		require.NoError(t, os.WriteFile(filepath.Join(folder, "duties", "duties.yaml"), []byte(text), 0o600))
	}
	write("- family: capnograph\n  model: Ostrel C2 capnograph\n  duties:\n    - { id: verification, title: Half-yearly, procedure: capnograph-oximeter-verification, months: 6 }\n")
	all, err := definition.Duties(folder)
	require.NoError(t, err)
	assert.Equal(t, 6, duty.DutiesOf(all, "capnograph", "Ostrel C2 capnograph")[0].Months)
	assert.Equal(t, 12, duty.DutiesOf(all, "capnograph", "Velloway Aire 4 capnograph")[0].Months)
	for text, words := range map[string]string{
		"- duties: []\n":                                 "family",
		"- family: x\n  colour: red":                     "colour",
		"- family: x\n  duties: [{ id: a, title: a }]\n": "nothing makes it due",
		"- family: x\n  duties: [{ id: a, title: a, days: 1 }, { id: a, title: b, days: 1 }]\n": "stands twice",
		"- family: x\n  duties: [{ id: a, title: a, days: 1, satisfies: [b] }]\n":               "no other duty here",
		"- family: x\n  duties: [{ id: a, title: a, days: 1, satisfies: [a] }]\n":               "no other duty here",
		"- family: x\n  duties: [{ id: a, title: a, on: [rain] }]\n":                            "is not known",
		"{": "duties.yaml",
	} {
		write(text)
		_, err := definition.Duties(folder)
		require.Error(t, err, text)
		assert.ErrorContains(t, err, words)
	}
}

func FuzzReadDuties(f *testing.F) {
	f.Add([]byte("- family: x\n  duties: [{ id: a, title: a, days: 1 }]\n"))
	f.Fuzz(func(t *testing.T, text []byte) {
		all, err := definition.ReadDuties("x.yaml", text)
		if err != nil {
			return
		}
		for _, template := range all {
			for _, d := range template.Duties {
				require.NoError(t, d.Check())
			}
		}
	})
}
