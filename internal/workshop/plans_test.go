package workshop

import (
	"testing"

	"northneedle/core/dayplan"

	"github.com/stretchr/testify/require"
)

// A lab that is read anew has the same ways: its days are not planned again.
func TestADayIsPlannedOnce(t *testing.T) {
	made := newPlans()
	for range 3 {
		lab, height := DefaultDay(), 18
		lab.Sites = []Site{{Name: "Merrowby General", Height: &height}}
		_, err := made.make(dayplan.Day{Jobs: []dayplan.Job{{ID: "a", Finish: 20, Risk: 1}}, People: []dayplan.Person{{Name: "Idris Vail", Window: dayplan.Window{From: 480, Until: 990}}}}, lab)
		require.NoError(t, err)
	}
	require.Equal(t, 1, made.made.Len())
}
