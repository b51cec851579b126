package sim_test

import (
	"flag"
	"math/rand/v2"
	"regexp"
	"strings"
	"testing"

	"northneedle/internal/definition"
	"northneedle/internal/demo"
	"northneedle/internal/sim"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var mutants = flag.Int("mutants", 20, "how many mutated procedures TestAProcedureThatReadsWellCanBeTried tries")

var (
	numbers = regexp.MustCompile(`-?\d+(\.\d+)?`)
	units   = regexp.MustCompile(`unit: ("[^"]*"|[^,} ]+)`)
)

// mutated is a procedure's text with one line taken out, one number or unit changed, or two lines exchanged.
func mutated(text string, rng *rand.Rand) string {
	lines := strings.Split(text, "\n")
	i, j := rng.IntN(len(lines)), rng.IntN(len(lines))
	switch rng.IntN(4) {
	case 0:
		lines = append(lines[:i:i], lines[i+1:]...)
	case 1:
		if at := numbers.FindAllStringIndex(lines[i], -1); at != nil {
			k := at[rng.IntN(len(at))]
			lines[i] = lines[i][:k[0]] + []string{"-1", "0", "1000000", "0.001"}[rng.IntN(4)] + lines[i][k[1]:]
		}
	case 2:
		lines[i] = units.ReplaceAllString(lines[i], []string{"unit: kg", "unit: L", "unit: s", `unit: "%{vol}"`}[rng.IntN(4)])
	default:
		lines[i], lines[j] = lines[j], lines[i]
	}
	return strings.Join(lines, "\n")
}

// A procedure that reads well is tried to its end, or stops at a step that is named; what is wrong with the file itself,
// such as a limit that runs backwards, does not get that far.
func TestAProcedureThatReadsWellCanBeTried(t *testing.T) {
	all, err := definition.Shipped()
	require.NoError(t, err)
	rng := rand.New(rand.NewPCG(17, 6))
	refused, stopped, ended := 0, 0, 0
	for range *mutants {
		text := mutated(all[rng.IntN(len(all))].Text, rng)
		p, err := definition.Read("mutant.yaml", []byte(text))
		if err == nil {
			err = definition.Meets("mutant.yaml", []byte(text))
		}
		if err != nil {
			assert.Contains(t, err.Error(), "mutant.yaml", "the file is named: %s", err)
			refused++
			continue
		}
		if _, err := sim.TryOut(p, demo.Lab(), monday); err != nil {
			stopped++
			assert.Regexp(t, `^TRY-OUT, step [a-z0-9-]+: `, err.Error())
			assert.NotContains(t, err.Error(), "run backwards")
			continue
		}
		ended++
	}
	t.Logf("%d mutants: %d refused, %d stopped when they were tried, %d run", *mutants, refused, stopped, ended)
	assert.Positive(t, ended)
	assert.Positive(t, refused)
}
