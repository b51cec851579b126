package sim_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"northneedle/core/adjust"
	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/definition"
	"northneedle/internal/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// found is what stands as found in what was closed, by point.
func found(t *testing.T, v runview.View) map[string]string {
	t.Helper()
	closed := map[string]bool{}
	for _, f := range v.Findings {
		closed[f.ID] = f.Closed > 0
	}
	all := map[string]string{}
	for _, m := range v.Measures {
		for _, p := range m.Points {
			if closed[m.Finding] && p.Found != nil {
				text, err := json.Marshal(p.Found)
				require.NoError(t, err)
				all[m.ID+"/"+p.ID] = string(text)
			}
		}
	}
	return all
}

// Whatever is recorded after as found was closed, what was found stays what it was: other
// room conditions, another reference, other figures of the device, a changed part.
func TestWhatWasFoundStandsWhateverIsRecordedLater(t *testing.T) {
	all, err := definition.Shipped()
	require.NoError(t, err)
	for _, p := range all {
		t.Run(p.ID, func(t *testing.T) {
			w := technician(&off{0.001})
			w.Until = "sign"
			r, _, err := w.Work(p, opened(p))
			require.NoError(t, err)
			before := found(t, runview.Of(r, w.At))
			result, _ := r.Outcome()
			var later []run.Command
			for _, step := range p.Way() {
				switch s := step.(type) {
				case *procedure.AmbientStep:
					later = append(later, run.RecordAmbient{
						Step:        s.ID,
						Temperature: "24",
						Pressure:    "985",
						Humidity:    "60",
						Source:      "RC-02",
					})
				case *procedure.RecordStep:
					values := map[string]string{}
					for _, f := range s.Fields {
						switch {
						case f.Text:
							values[f.ID] = "another one"
						case len(f.Options) > 0:
							values[f.ID] = f.Options[len(f.Options)-1].ID
						default:
							values[f.ID] = fmt.Sprintf("%g", f.Min+0.9*(f.Max-f.Min))
						}
					}
					later = append(later, run.RecordPlate{Step: s.ID, Values: values})
				case *procedure.Measure:
					later = append(later, run.CaptureReading{
						Reading:   "late-" + s.ID,
						Measure:   s.ID,
						Point:     s.Points[0].ID,
						Typed:     "1",
						Confirmed: true,
					},
						run.OmitPoint{Measure: s.ID, Point: s.Points[0].ID, Reason: "later"})
				}
			}
			for _, role := range p.Roles {
				other := demo.Fitting(role, monday)
				other.ID, other.Tag = "other", "OTHER-1"
				other.Values = slices.Clone(other.Values)
				for i := range other.Values {
					other.Values[i].Value *= 1.02
				}
				other.Prepared = nil
				later = append(later, run.BindStandard{Role: role.ID, Standard: other})
			}
			for _, part := range p.Parts {
				later = append(later, run.ChangePart{Part: part.ID, Reason: "broken"})
			}
			for _, c := range later {
				events, err := r.Decide("later", c, run.Order{At: w.At, By: w.Person})
				var refusal *run.Refusal
				require.True(t, err == nil || errors.As(err, &refusal), "%T: %v", c, err)
				after := r
				for _, e := range events {
					after = after.Apply(e)
				}
				now := found(t, runview.Of(after, w.At))
				for point, was := range before {
					assert.True(t, now[point] == was, "%T %+v changes what was found at %s", c, c, point)
				}
				if _, room := c.(run.RecordAmbient); room && err == nil {
					assert.Contains(t, strings.Join(runview.Of(after, w.At).Remarks, " "),
						"as found was read at 21.4 °C · 1008 hPa · 46 %; the room conditions were recorded again later")
				}
				if then, _ := after.Outcome(); then.Passed() {
					assert.True(t, result.Passed(), "%T makes a device conform that did not", c)
				}
			}
		})
	}
}

// off is a device that is wrong by a share of what it should show, until it is adjusted.
type off struct{ share float64 }

func (o *off) Read(_, _ string, expected float64) float64 { return expected * (1 + o.share) }
func (o *off) Turn(_, _ string, _ float64)                { o.share = 0 }

// What is remembered of a run while it goes on is what its events give.
func TestARunOnTheWayIsTheRunOfItsEvents(t *testing.T) {
	if testing.Short() {
		t.Skip("every procedure, event by event")
	}
	all, err := definition.Shipped()
	require.NoError(t, err)
	for _, p := range all {
		w := technician(&off{0.04})
		_, events, err := w.Work(p, opened(p))
		require.NoError(t, err)
		r := run.NewRun(p)
		for i, e := range events {
			r = r.Apply(e)
			on := runview.Of(r, e.At)
			if i%5 != 0 {
				continue
			}
			written, err := json.Marshal(on)
			require.NoError(t, err)
			again, err := json.Marshal(runview.Of(run.Fold(p, events[:i+1]), e.At))
			require.NoError(t, err)
			require.True(t, string(written) == string(again), "%s after event %d", p.ID, i+1)
		}
	}
}

// The statement of a run follows from its points and decisions, whatever the device shows:
// nothing conforms with a point that does not, and nothing fails without a reason.
func TestTheStatementFollowsFromThePoints(t *testing.T) {
	if testing.Short() {
		t.Skip("every procedure with every fault")
	}
	all, err := definition.Shipped()
	require.NoError(t, err)
	seen := map[run.Result]int{}
	for _, p := range all {
		for _, share := range []float64{0, 0.003, -0.012, 0.04, -0.3} {
			t.Run(fmt.Sprintf("%s %+g", p.ID, share), func(t *testing.T) {
				w := technician(&off{share})
				r, events, err := w.Work(p, opened(p))
				require.NoError(t, err)
				v := runview.Of(r, w.At)
				require.Equal(t, run.Signed, v.Status)
				seen[v.Result]++
				passes, adjusted, withdrawn, holds := true, false, false, true
				for _, m := range v.Measures {
					for _, point := range m.Points {
						last := point.Left
						if last == nil {
							last = point.Found
						}
						if last == nil {
							continue
						}
						if v.About(m) == "" {
							passes = passes && last.Pass
						} else {
							holds = holds && last.Pass // the room, or a reference that is looked at first
						}
						inside := (last.Low == nil || last.Error >= *last.Low-1e-9) &&
							(last.High == nil || last.Error <= *last.High+1e-9)
						assert.True(t, inside || !last.Pass, "%s %s passes outside its limits", m.ID, point.ID)
						assert.InDelta(t, last.Indicated-last.Reference, last.Error,
							1e-6*max(1, math.Abs(last.Reference)), "%s %s", m.ID, point.ID)
					}
				}
				for _, f := range v.Findings {
					adjusted = adjusted || f.About == "" && len(f.Adjustments) > 0
					for _, d := range f.Decisions {
						withdrawn = withdrawn || d.Decision == adjust.Withdraw
					}
				}
				switch v.Result {
				case run.Maintained:
					assert.True(t, p.Maintains)
				case run.Conforms:
					assert.False(t, p.Maintains)
					assert.True(t, passes && !adjusted && !withdrawn)
				case run.ConformsAdjusted:
					assert.True(t, passes && adjusted && !withdrawn)
				case run.Fails:
					assert.True(t, !passes || withdrawn)
				case run.NotComplete:
					assert.False(t, holds, "nothing was left out")
				default:
					assert.Fail(t, "nothing was left out", v.Result)
				}
				assert.Equal(t, v.Result.Passed() && p.Next.Each == "", v.Next != nil,
					"only what conforms has a next day")
				for _, end := range v.OpenItems {
					assert.NotNil(t, end.ClosedAt, "%s is open after the signature", end.What)
				}
				written, err := json.Marshal(v)
				require.NoError(t, err)
				again, err := json.Marshal(runview.Of(run.Fold(p, events), w.At))
				require.NoError(t, err)
				assert.True(t, string(written) == string(again), "the same events, the same run")
			})
		}
	}
	for _, result := range []run.Result{run.Conforms, run.ConformsAdjusted, run.Fails} {
		assert.NotZero(t, seen[result], "no device came out as %s", result)
	}
}
