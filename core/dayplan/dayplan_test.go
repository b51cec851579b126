package dayplan_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"northneedle/core/dayplan"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// exact is the earliest end of jobs that one person does at one place: every sequence of
// all parts is tried, each part as early as it can be. It shares nothing with the planner.
func exact(jobs []dayplan.Job, begin int) int {
	best := math.MaxInt
	done := make([]int, len(jobs)) // parts done: 0, 1, 2
	ready := make([]int, len(jobs))
	var go1 func(now, left int)
	go1 = func(now, left int) {
		if now >= best {
			return
		}
		if left == 0 {
			best = now
			return
		}
		for i, j := range jobs {
			switch done[i] {
			case 0:
				done[i] = 1
				end := now + j.Setup
				was := ready[i]
				ready[i] = end + j.Wait
				go1(end, left-1)
				done[i], ready[i] = 0, was
			case 1:
				done[i] = 2
				go1(max(now, ready[i])+j.Finish, left-1)
				done[i] = 1
			}
		}
	}
	go1(begin, 2*len(jobs))
	return best
}

func drawn(t *rapid.T, most int) []dayplan.Job {
	var jobs []dayplan.Job
	for i := range rapid.IntRange(1, most).Draw(t, "jobs") {
		jobs = append(jobs, dayplan.Job{
			ID:     fmt.Sprint(i),
			Setup:  rapid.IntRange(1, 15).Draw(t, "setup"),
			Wait:   rapid.IntRange(0, 60).Draw(t, "wait"),
			Finish: rapid.IntRange(1, 30).Draw(t, "finish"),
			Risk:   rapid.IntRange(1, 5).Draw(t, "risk"),
		})
	}
	return jobs
}

func alone(jobs []dayplan.Job) dayplan.Day {
	return dayplan.Day{Jobs: jobs, People: []dayplan.Person{{Name: "Idris",
		Window: dayplan.Window{From: 480, Until: 2000}}}}
}

func TestNoDayEndsEarlierThanItsBound(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		jobs := drawn(t, 4)
		plan, err := dayplan.Make(alone(jobs))
		require.NoError(t, err)
		require.Empty(t, plan.Left)
		best := exact(jobs, 480)
		require.GreaterOrEqual(t, plan.Ends, best)
		require.LessOrEqual(t, plan.Bound, best, "a bound is one")
	})
}

// The days are always the same ones: a share of others would hang on luck.
func TestSmallDaysEndAsEarlyAsAnyCouldOrAlmost(t *testing.T) {
	random := rand.New(rand.NewPCG(2026, 11))
	optimal := 0
	for range 200 {
		var jobs []dayplan.Job
		for i := range 1 + random.IntN(4) {
			jobs = append(jobs, dayplan.Job{ID: fmt.Sprint(i), Setup: 1 + random.IntN(15), Wait: random.IntN(61),
				Finish: 1 + random.IntN(30), Risk: 1 + random.IntN(5)})
		}
		plan, err := dayplan.Make(alone(jobs))
		require.NoError(t, err)
		best := exact(jobs, 480)
		require.LessOrEqual(t, float64(plan.Ends-480), 1.12*float64(best-480), "%+v", plan)
		if plan.Ends == best {
			optimal++
		}
	}
	assert.Greater(t, optimal, 180, "of 200 days")
}

// ferry is a day with two islands behind a boat, shared references, and people who cannot do all.
func ferry(t *rapid.T) dayplan.Day {
	places := []string{"workshop", "ward", "island", "cabin"}
	d := dayplan.Day{Jobs: drawn(t, 12), Windows: map[string][]dayplan.Window{"island": {{From: 580, Until: 920}},
		"cabin": {}},
		People: []dayplan.Person{{Name: "Idris", Window: dayplan.Window{From: 480, Until: 990}, Place: "workshop",
			Skills: []string{"ventilator"}}, {Name: "Noor", Window: dayplan.Window{From: 500, Until: 960},
			Place: "workshop"}},
		Travel: func(a, b string) int {
			if a == "island" || b == "island" {
				return 35
			}
			return 5
		}, Busy: map[string][]dayplan.Window{"FA-1": {{From: 480, Until: 600}}}, Tries: 150}
	for i := range d.Jobs {
		j := &d.Jobs[i]
		j.Place = rapid.SampledFrom(places).Draw(t, "place")
		j.References = rapid.SampledFrom([][]string{nil, {"FA-1"}, {"HG-22"}, {"FA-1", "HG-22"}}).Draw(t, "references")
		j.Skill = rapid.SampledFrom([]string{"", "", "ventilator", "x-ray"}).Draw(t, "skill")
		j.Started = rapid.IntRange(0, 5).Draw(t, "started") == 0
		if j.Started {
			j.Ready = 480 + rapid.IntRange(0, 60).Draw(t, "ready")
		}
	}
	return d
}

func TestAPlanCanBeDone(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d := ferry(t)
		plan, err := dayplan.Make(d)
		require.NoError(t, err)
		parts := map[string][]dayplan.Block{}
		for _, b := range plan.Blocks {
			parts[b.Job] = append(parts[b.Job], b)
		}
		require.Equal(t, len(d.Jobs), len(parts)+len(plan.Left), "every job is planned once, or left out with a reason")
		uses := map[string][]dayplan.Window{"FA-1": d.Busy["FA-1"]}
		for _, j := range d.Jobs {
			mine := parts[j.ID]
			if len(mine) == 0 {
				continue
			}
			first, last := mine[0], mine[len(mine)-1]
			hands := 0
			for _, b := range mine {
				hands += b.Until - b.From
				require.NotEqual(t, "cabin", b.Place)
				if b.Place == "island" {
					require.True(t, b.From >= 580 && b.Until <= 920, "the boat does not wait")
				}
				require.True(t, j.Skill == "" || j.Skill == "ventilator" && b.Person == "Idris")
			}
			if j.Started {
				require.GreaterOrEqual(t, first.From, j.Ready)
				require.Equal(t, j.Finish, hands)
			} else {
				require.Equal(t, j.Setup+j.Finish, hands)
				require.GreaterOrEqual(t, last.Until-first.From, j.Setup+j.Wait+j.Finish)
			}
			for _, tag := range j.References {
				for _, w := range uses[tag] {
					require.False(t, w.From < last.Until && w.Until > first.From, "%s is in two places", tag)
				}
				uses[tag] = append(uses[tag], dayplan.Window{From: first.From, Until: last.Until})
			}
		}
		for _, p := range d.People {
			was, end := p.Place, p.From
			for _, b := range plan.Blocks {
				if b.Person != p.Name {
					continue
				}
				way := 0
				if was != b.Place {
					way = d.Travel(was, b.Place)
				}
				require.GreaterOrEqual(t, b.From, end+way, "%s is in two places", p.Name)
				require.LessOrEqual(t, b.Until, p.Until)
				was, end = b.Place, b.Until
			}
		}
		again, err := dayplan.Make(d)
		require.NoError(t, err)
		require.Equal(t, plan, again, "the same day gives the same plan")
		d.Order, d.Who = plan.Order, plan.Who
		kept, err := dayplan.Make(d)
		require.NoError(t, err)
		require.Equal(t, plan.Blocks, kept.Blocks, "put in the same order by hand it is the same")
	})
}

// References that are elsewhere for a while put a job off, and never out of a day that has room for it.
func TestAJobWaitsForItsReferences(t *testing.T) {
	people := []dayplan.Person{{Name: "Idris", Window: dayplan.Window{From: 480, Until: 990}}}
	busy := map[string][]dayplan.Window{"FA-1": {{From: 500, Until: 600}, {From: 640, Until: 700}}}
	jobs := []dayplan.Job{{ID: "a", Setup: 20, Wait: 30, Finish: 20, Risk: 3, References: []string{"FA-1"}},
		{ID: "b", Setup: 15, Wait: 20, Finish: 15, Risk: 2, References: []string{"FA-1"}}, {ID: "c", Setup: 30, Risk: 1}}
	plan, err := dayplan.Make(dayplan.Day{Jobs: jobs, People: people, Busy: busy})
	require.NoError(t, err)
	assert.Empty(t, plan.Left)
	rapid.Check(t, func(t *rapid.T) {
		var away []dayplan.Window
		for at := 480; at < 700; {
			from := at + rapid.IntRange(0, 60).Draw(t, "free")
			at = from + rapid.IntRange(5, 60).Draw(t, "away")
			away = append(away, dayplan.Window{From: from, Until: at})
		}
		plan, err := dayplan.Make(dayplan.Day{Jobs: jobs, People: people, Busy: map[string][]dayplan.Window{"FA-1": away}})
		require.NoError(t, err)
		require.Empty(t, plan.Left, "after %v there is room for all", away)
	})
}

func TestWaitsAreFilledAndTheGravestAreNotLeftOut(t *testing.T) {
	one := []dayplan.Person{{Name: "Idris", Window: dayplan.Window{From: 480, Until: 560}}}
	chamber := dayplan.Job{ID: "chamber", Setup: 5, Wait: 30, Finish: 10, Risk: 3}
	scale := dayplan.Job{ID: "scale", Setup: 25, Risk: 2}
	plan, err := dayplan.Make(dayplan.Day{Jobs: []dayplan.Job{scale, chamber}, People: one})
	require.NoError(t, err)
	assert.Equal(t, 525, plan.Ends, "the scale is done while the chamber settles")
	assert.Equal(t, 25, plan.Filled)
	assert.Equal(t, plan.Ends, plan.Bound)

	ventilator := dayplan.Job{ID: "ventilator", Setup: 60, Risk: 5, DaysLate: 3}
	plan, err = dayplan.Make(dayplan.Day{Jobs: []dayplan.Job{scale, chamber, ventilator}, People: one})
	require.NoError(t, err)
	require.NotEmpty(t, plan.Left)
	assert.False(t, slices.ContainsFunc(plan.Left, func(l dayplan.Left) bool { return l.Job == "ventilator" }), "%+v",
		plan.Left)
	assert.Contains(t, plan.Left[0].Why, "no room")

	for _, bad := range []dayplan.Day{{Jobs: []dayplan.Job{scale}}, {Jobs: []dayplan.Job{scale, scale}, People: one},
		{Jobs: []dayplan.Job{{ID: "x", Risk: 1}}, People: one},
		{Jobs: []dayplan.Job{scale}, People: one, Order: []string{"other"}}} {
		_, err := dayplan.Make(bad)
		assert.Error(t, err)
	}
	assert.Equal(t, "08:05", dayplan.Clock(485))
}

func TestLevellingBringsForwardAndNeverPutsOff(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var loads []dayplan.Load
		for i := range rapid.IntRange(0, 60).Draw(t, "n") {
			month := rapid.IntRange(0, 11).Draw(t, "month")
			loads = append(loads, dayplan.Load{
				ID:       fmt.Sprint(i),
				Month:    month,
				Earliest: max(0, month-rapid.IntRange(0, 3).Draw(t, "early")),
				Hours:    float64(rapid.IntRange(1, 6).Draw(t, "half hours")) / 2,
			})
		}
		before, after, moves, err := dayplan.Level(loads, 12)
		require.NoError(t, err)
		sum := func(v []float64) (s float64) {
			for _, x := range v {
				s += x
			}
			return s
		}
		require.InDelta(t, sum(before), sum(after), 1e-6)
		for _, m := range moves {
			require.Less(t, m.To, m.From)
		}
		if len(loads) > 0 {
			require.LessOrEqual(t, slices.Max(after), slices.Max(before)+1e-9)
		}
		// No single load that may still go earlier would even it out further.
		at := map[string]int{}
		for _, m := range moves {
			at[m.ID] = m.To
		}
		for _, l := range loads {
			month, moved := at[l.ID]
			if !moved {
				month = l.Month
			}
			for to := l.Earliest; to < month; to++ {
				require.LessOrEqual(t, after[month]-after[to]-l.Hours, 1e-6, "load %s could go from %d to %d", l.ID,
					month, to)
			}
		}
	})
	_, _, _, err := dayplan.Level([]dayplan.Load{{ID: "x", Month: 12}}, 12)
	assert.Error(t, err)
}

func TestAPartThatIsMovedByHandStaysWhereItWasPut(t *testing.T) {
	day := dayplan.Day{People: []dayplan.Person{{Name: "Idris", Window: dayplan.Window{From: 480, Until: 900}}},
		Jobs: []dayplan.Job{{ID: "a", Setup: 10, Risk: 1}, {ID: "b", Setup: 20, Risk: 1},
			{ID: "c", Setup: 5, Wait: 30, Finish: 5, Risk: 1}}}
	day.Order = []string{"c", "b", "b", "c", "a", "a"}
	plan, err := dayplan.Make(day)
	require.NoError(t, err)
	jobs := []string{}
	for _, b := range plan.Blocks {
		jobs = append(jobs, b.Job)
	}
	assert.Equal(t, []string{"c", "b", "c", "a"}, jobs, "a is not slipped into the wait")
}
