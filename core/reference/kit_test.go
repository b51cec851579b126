package reference_test

import (
	"testing"
	"time"

	"northneedle/core/gas"
	"northneedle/core/reference"

	"github.com/stretchr/testify/assert"
)

func TestWhatADayNeeds(t *testing.T) {
	on := time.Date(2026, 11, 26, 9, 0, 0, 0, time.UTC)
	standard := func(tag, kind, lot string, days int) reference.Standard {
		return reference.Standard{Tag: tag, Name: tag, Kind: kind, Lot: lot, Status: reference.Usable,
			Certificate: reference.Certificate{Number: "C", On: on.AddDate(-1, 0, 0), DueOn: on.AddDate(0, 0, days)}}
	}
	balance, expired := standard("B-1", "balance", "", 200), standard("B-2", "balance", "", -1)
	late, soon := standard("K-1", "cuvette", "9", 90), standard("K-2", "cuvette", "4", 40)
	bottle := standard("G-1", "gas", "", 300)
	bottle.Cylinder = &gas.Cylinder{WaterVolumeL: 2, GaugeBar: 30, ReserveBar: 5}
	all := []reference.Standard{expired, balance, late, soon, bottle}
	roles := []reference.Role{{ID: "w", Title: "Balance", Kind: "balance"}, {ID: "g", Title: "Gas", Kind: "gas", Litres: 20},
		{ID: "k", Title: "Cuvettes", Kind: "cuvette"}, {ID: "o", Title: "Spare", Kind: "spare", Optional: true},
		{ID: "x", Title: "Lamp", Kind: "lamp"}}

	order := roles[0].Candidates(all, on)
	assert.Equal(t, []string{"B-1", "B-2"}, []string{order[0].Standard.Tag, order[1].Standard.Tag}, "what fits comes first")
	assert.False(t, order[1].Fits())
	assert.Contains(t, expired.Trouble("", on), "ran out on 2026-11-25")
	assert.Empty(t, balance.Trouble("", on))
	assert.Equal(t, "K-2", roles[2].Candidates(all, on)[0].Standard.Tag, "of lots, the first to expire")

	kit := reference.Kit{Standards: all, On: on}
	assert.Equal(t, []string{"B-1"}, kit.Bring(roles, 1), "one balance can be in one job at a time; lots and gas are shared")
	kit.Bring(roles, 2)
	lines := kit.Lines()
	assert.Len(t, lines, 4, "optional ones stay at home")
	assert.Equal(t, 3, lines[0].For)
	assert.Equal(t, 60.0, lines[1].Litres)
	assert.Contains(t, lines[1].Problem, "need about 60 L")
	assert.Equal(t, []string{"K-2", "K-1"}, lines[2].Tags)
	assert.Equal(t, "None can be used as things stand.", lines[3].Problem)
}
