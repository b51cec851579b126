package workshop

import (
	"testing"

	"northneedle/core/dayplan"

	"github.com/stretchr/testify/require"
)

// The settings of a lab are read from the record for each request. As long as they are equal, a day's plan is made once.
func TestADayIsPlannedOnce(t *testing.T) {
	made := newPlans()
	for range 3 {
		lab, height := DefaultDay(), 18
		lab.Sites = []Site{{Name: "Merrowby General", Height: &height}}
		_, err := made.make(dayplan.Day{Jobs: []dayplan.Job{{ID: "a", Finish: 20, Risk: 1}},
			People: []dayplan.Person{{Name: "Idris Vail", Window: dayplan.Window{From: 480, Until: 990}}}}, lab)
		require.NoError(t, err)
	}
	require.Equal(t, 1, made.made.Len())
}
