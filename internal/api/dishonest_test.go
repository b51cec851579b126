package api_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// worker works a capnograph's run by hand, honestly or not, on a device whose error it knows.
type worker struct {
	*client
	v     runview.View
	error float64 // relative, of the carbon dioxide
}

// read types what every open point of a finding shows.
func (w *worker) read(finding string) {
	w.t.Helper()
	for {
		i := slices.IndexFunc(w.v.Measures, func(m runview.MeasureView) bool {
			return m.Finding == finding && slices.ContainsFunc(m.Points, func(p runview.PointView) bool { return !p.Complete })
		})
		if i < 0 {
			return
		}
		m := w.v.Measures[i]
		p := m.Points[slices.IndexFunc(m.Points, func(p runview.PointView) bool { return !p.Complete })]
		shows := p.Expected.Reference
		if m.ID == "co2" {
			shows *= 1 + w.error
		}
		w.v = w.send(w.v, order{"kind": "capture", "measure": m.ID, "point": p.ID, "confirmed": true,
			"typed": fmt.Sprintf("%.*f", map[bool]int{true: 2, false: 0}[m.Resolution < 0.1], shows)})
	}
}

func (w *worker) close(finding string) {
	w.v = w.send(w.v, order{"kind": "close-phase", "finding": finding})
}

func (w *worker) finding(id string) runview.FindingView {
	return w.v.Findings[slices.IndexFunc(w.v.Findings, func(f runview.FindingView) bool { return f.ID == id })]
}

// decide decides, with a reason where that is against the advice.
func (w *worker) decide(finding, decision string) {
	w.t.Helper()
	w.v = w.send(w.v, order{"kind": "decide", "finding": finding, "decision": decision, "reason": "as it was found"})
}

// finish does the rest by the book, and signs.
func (w *worker) finish() {
	w.t.Helper()
	w.toSignature()
	w.v = w.send(w.v, order{"kind": "sign", "statement": w.v.Statement, "reviewer": "tamsin"})
}

// toSignature does the rest by the book.
func (w *worker) toSignature() {
	w.t.Helper()
	for range 60 {
		i := slices.IndexFunc(w.v.Steps, func(s runview.StepView) bool { return !s.Done })
		s := w.v.Steps[i]
		switch s.Kind {
		case procedure.StepCheck:
			w.v = w.send(w.v, order{"kind": "answer", "step": s.ID, "answer": "fine"})
		case procedure.StepRecord:
			w.v = w.send(w.v, order{"kind": "plate", "step": s.ID, "values": map[string]string{"curve": "R-2",
				"simulator_own": "0.5"}})
		case procedure.StepAct:
			w.v = w.send(w.v, order{"kind": "do", "step": s.ID})
		case procedure.StepMeasure:
			w.read(w.v.Measures[slices.IndexFunc(w.v.Measures,
				func(m runview.MeasureView) bool { return m.ID == s.ID })].Finding)
		case procedure.StepFinding:
			w.close(s.ID)
			w.decide(s.ID, "leave")
		default:
			return
		}
	}
	require.FailNow(w.t, "the run has no end")
}

// Whatever a technician claims of the set-up, moves and puts back: what is outside as the device was found opens a
// look-back, unless as found was read again and differed; nothing is "after adjustment" that was put back; and nobody
// alone says that it was the set-up of a device that keeps people alive.
func TestWhateverIsClaimedOfTheSetUp(t *testing.T) {
	if testing.Short() {
		t.Skip("whole runs")
	}
	count := map[string]int{}
	for trial := range 3 * *trials {
		random := rand.New(rand.NewPCG(uint64(trial), 14))
		h := newHouse(t)
		c := h.signedIn("Idris Vail")
		tag := firstOf(t, c, "capnograph", 2+random.IntN(3))
		cause, bad := random.IntN(3), -0.13-0.02*random.Float64() // of nobody, of the set-up, of the device
		w := &worker{client: c}
		if cause > 0 {
			w.error = bad
		}
		w.v = c.toMeasuring(c.open(tag))
		w.read("co2-finding")
		w.close("co2-finding")
		claimed, stands, adjusted := false, false, false
		if cause > 0 {
			for range 1 + random.IntN(2) {
				switch random.IntN(3) {
				case 0: // moves the span, and puts it back
					w.decide("co2-finding", "adjust")
					w.v = w.send(w.v, order{"kind": "adjust", "finding": "co2-finding", "control": "span", "steps": 4})
					w.error += 0.02
					w.read("co2-finding")
					w.close("co2-finding")
					w.v = w.send(w.v, order{"kind": "take-back", "finding": "co2-finding", "reason": "made from a bad reading"})
					w.error -= 0.02
					w.read("co2-finding")
					w.close("co2-finding")
					count["put back"]++
				case 1: // says it was the set-up, and mends what was wrong there, if anything was
					require.True(t, w.finding("co2-finding").MayVoid)
					w.v = w.send(w.v, order{"kind": "void-as-found", "finding": "co2-finding",
						"cause": w.finding("co2-finding").Outside[0], "note": "tightened"})
					mended := cause == 1 && w.error < -0.05
					if mended {
						w.error = 0
					}
					w.read("co2-finding")
					w.close("co2-finding")
					voided := w.finding("co2-finding").Voided
					require.Equal(t, !mended, voided[len(voided)-1].Stands,
						"the second agrees with the first unless something was mended")
					claimed, stands = claimed || mended, stands || !mended
					count[map[bool]string{true: "mended", false: "claimed falsely"}[mended]]++
				default:
				}
				if w.error == 0 {
					break
				}
			}
			if w.error < -0.05 && random.IntN(2) == 0 {
				steps := 28
				w.decide("co2-finding", "adjust")
				w.v = w.send(w.v, order{"kind": "adjust", "finding": "co2-finding", "control": "span", "steps": steps})
				w.error = 0
				adjusted = true
				w.read("co2-finding")
				w.close("co2-finding")
				assert.Equal(t, 409, status(w.try(w.v, order{"kind": "void-as-found", "finding": "co2-finding",
					"cause": "a leak at the adapter", "note": "x"})),
					"after it was adjusted nothing is the set-up's any more")
				count["adjusted"]++
			}
		}
		w.decide("co2-finding", "leave")
		w.finish()

		found := w.error < -0.05 || adjusted // as the device was found, by what counts
		want := run.Conforms
		switch {
		case w.error < -0.05:
			want = run.Fails
		case adjusted:
			want = run.ConformsAdjusted
		case claimed:
			want = run.ConformsSetUp
		}
		name := fmt.Sprintf("trial %d: cause %d, claimed %v, stands %v, adjusted %v, error %.3f", trial, cause,
			claimed, stands, adjusted, w.error)
		require.Equal(t, want, w.v.Result, name)
		count[string(want)]++
		risk := get[workshop.AssetView](c, "/api/assets/"+tag).Risk
		alone := want == run.Conforms || want == run.ConformsAdjusted || want == run.ConformsSetUp && risk < 4
		require.Equal(t, alone, w.v.Status == run.Signed, "%s, risk %d: %s", name, risk, w.v.Status)
		if w.v.Status == run.InReview {
			assert.Equal(t, 403, status(c.try(w.v, order{"kind": "review", "note": "it was me"})),
				"nobody countersigns their own run")
			w.v = h.signedIn("Tamsin Orrery").send(w.v, order{"kind": "review", "note": "seen"})
		}
		opened := slices.ContainsFunc(get[[]workshop.LookBackBrief](c, "/api/look-backs"), func(b workshop.LookBackBrief) bool {
			return strings.Contains(b.Title, tag) && b.OpenedAt.After(h.now.Add(-24*time.Hour))
		})
		require.Equal(t, found, opened, name)
		state := get[workshop.AssetView](c, "/api/assets/"+tag)
		require.Equal(t, want == run.Fails, state.Stop, "%s: %s %s", name, state.State, state.Words)
		h.server.CloseClientConnections()
	}
	t.Logf("%d runs: %v", 3**trials, count)
}

func status(code int, _ []byte) int { return code }
