package device

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestASafetyNoticeReachesWhatItNames(t *testing.T) {
	serials, err := ParseSerials("K1200 to K1299; K1402\nK 7")
	require.NoError(t, err)
	versions, err := ParseVersions("up to 2.3, 3.0 to 3.9, from 7")
	require.NoError(t, err)
	about := Affected{Maker: "Kestmoor", Models: []string{"A5 audiometer"}, Serials: serials, Versions: versions}
	for _, c := range []struct {
		maker, model, serial, version string
		want                          Reach
	}{
		{"KESTMOOR", "A5  Audiometer", "K1200", "2.3", Reached},
		{"Kestmoor", "A5 audiometer", "k1299", "1.10", Reached},
		{"Kestmoor", "A5 audiometer", "K1299", "2.10", NotReached}, // 10 comes after 3
		{"Kestmoor", "A5 audiometer", "K1300", "2.3", NotReached},
		{"Kestmoor", "A5 audiometer", "K12001", "2.3", NotReached}, // no longer number begins a shorter one
		{"Kestmoor", "A5 audiometer", "K7", "3.10", NotReached},
		{"Kestmoor", "A5 audiometer", "K7", "11.2", Reached},
		{"Kestmoor", "A5 audiometer", "K7", "", Unsure},
		{"Kestmoor", "A5 audiometer", "", "2.3", Unsure},
		{"Kestmoor", "A5 audiometer", "", "2.9", NotReached}, // by what is known it is none of them
		{"Kestmoor", "A6 audiometer", "K1200", "2.3", NotReached},
		{"Velloway", "A5 audiometer", "K1200", "2.3", NotReached},
	} {
		reach, why := about.Reaches(c.maker, c.model, c.serial, c.version)
		assert.Equal(t, c.want, reach, "%+v", c)
		assert.Equal(t, c.want == Unsure, why != "")
	}
	all := Affected{Maker: "Kestmoor"}
	reach, _ := all.Reaches("Kestmoor", "anything", "", "")
	assert.Equal(t, Reached, reach)
	for _, wrong := range []string{"1299 to 1200", "1200 to", " to 7", "K12 to 99"} {
		_, err := ParseSerials(wrong)
		assert.Error(t, err, wrong)
	}
}

// A stretch holds what lies between its ends, by what the figures count, and nothing else.
func TestAStretchHoldsWhatLiesInIt(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		from := rapid.IntRange(0, 5000).Draw(t, "from")
		to := rapid.IntRange(from, 5000).Draw(t, "to")
		n := rapid.IntRange(0, 5000).Draw(t, "n")
		some, err := ParseSerials(fmt.Sprintf("SN-%d to SN-%d", from, to))
		require.NoError(t, err)
		reach, _ := Affected{Maker: "m", Serials: some}.Reaches("m", "x", fmt.Sprintf("sn-%d", n), "")
		assert.Equal(t, from <= n && n <= to, reach == Reached)
	})
}
