package sim_test

import (
	"encoding/json"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"northneedle/core/conformity"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/core/uncertainty"
	"northneedle/families"
	"northneedle/internal/definition"
	"northneedle/internal/demo"
	"northneedle/internal/paper"
	"northneedle/internal/sim"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/stat"
)

// attached is the data inside a certificate, and its words; without the tools for it, the data that went in.
func attached(t *testing.T, v runview.View) (data []byte, words string) {
	t.Helper()
	pdf, err := paper.Certificate(v, paper.Issue{Head: "0"})
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "certificate.pdf")
	require.NoError(t, os.WriteFile(file, pdf, 0o600))
	if _, err := exec.LookPath("pdfdetach"); err != nil {
		data, err = json.Marshal(v)
		require.NoError(t, err)
		return data, ""
	}
	out := filepath.Join(t.TempDir(), "certificate.json")
	require.NoError(t, exec.Command("pdfdetach", "-save", "1", "-o", out, file).Run())
	data, err = os.ReadFile(out)
	require.NoError(t, err)
	text, err := exec.Command("pdftotext", "-layout", file, "-").Output()
	require.NoError(t, err)
	return data, string(text)
}

// recomputed is a point's verdict computed anew from what a certificate carries: its readings, the values of its
// references, room, data plate and settings.
func recomputed(t *testing.T, v runview.View, m runview.MeasureView, p runview.PointView, was run.Verdict) run.Verdict {
	t.Helper()
	in := procedure.Input{Unit: m.Unit, Shown: m.Unit, Resolution: m.Resolution, Ambient: roomOf(v, m, was.Round),
		Settings: v.Device.Settings, Also: map[string]procedure.Beside{}, Plate: map[string]float64{}, Choices: map[string]string{}, With: p.With}
	for _, s := range v.Steps {
		for k, f := range s.Plate {
			in.Plate[k] = f
		}
		for k, c := range s.Choices {
			in.Choices[k] = c
		}
	}
	in.Readings, in.Left, in.Quantum, in.Resolution = values(p, was.Round, m.Resolution)
	if at := slices.IndexFunc(m.Points, func(x runview.PointView) bool { return x.ID == p.ID }); at > 0 {
		before := m.Points[at-1]
		if read, _, _, _ := values(before, was.Round, m.Resolution); len(read) > 0 {
			level, _ := quantity.ParseNumber(before.At)
			in.Before = &procedure.EarlierPoint{Target: level, Reading: stat.Mean(read, nil)}
		}
	}
	method := families.Catalogue().Methods[m.Method]
	if !method.Series {
		in.Before = nil
	}
	role, name := p.Role, m.Quantity
	switch percent, of, share := strings.Cut(p.At, "% of "); {
	case share:
		n, err := quantity.ParseNumber(percent)
		require.NoError(t, err)
		in.Target = n / 100 * in.Plate[strings.TrimSpace(of)]
	default:
		level, err := quantity.ParseNumber(p.At)
		if in.Target = level; err != nil {
			role, name, _ = strings.Cut(p.At, ".")
		}
	}
	if role == "" {
		in.Certified = []reference.Certified{{Quantity: m.ID, Value: in.Target, Unit: m.Unit, U: p.U, K: 2}}
	}
	for _, r := range v.Roles {
		for method, of := range m.Also {
			if id, what, _ := strings.Cut(of, "."); id == r.ID {
				in.Also[method] = procedure.Beside{Lines: r.Standard.Lines(what, 0, m.Unit, false), Years: yearsOf(r), Found: foundOf(v, r.ID)}
			}
		}
		if r.ID == role {
			in.Certified = r.Standard.Lines(name, in.Target, m.Unit, !strings.HasPrefix(p.At, role+"."))
			in.Years = yearsOf(r)
		}
	}
	out, err := method.Evaluate(in)
	require.NoError(t, err, p.Label)
	of, err := families.Catalogue().ParseLimits(m.Tolerance)
	require.NoError(t, err)
	if m.Low != nil {
		of = m.Low.Around(of)
	}
	base := out.Reference
	if out.LimitBase != 0 {
		base = out.LimitBase
	}
	limits, err := of(base/out.Factor, in.Plate)
	require.NoError(t, err)
	limits = limits.Widen(m.LimitPlus).Scale(out.Factor)
	budget, err := uncertainty.Combine(out.Terms...)
	require.NoError(t, err)
	a, err := conformity.Assess(out.Indicated-out.Reference, limits, budget.Expanded, budget.K)
	require.NoError(t, err)
	return run.Verdict{Indicated: out.Indicated, Reference: out.Reference, Error: a.Error, U: budget.Expanded, K: budget.K,
		TUR: a.TUR, Zone: a.Zone, ErrorToLimit: a.ErrorToLimit, Formula: out.Formula}
}

// foundOf is the largest error that the run's own check found of what fills a role.
func foundOf(v runview.View, role string) (largest float64) {
	for _, m := range v.Measures {
		at := slices.IndexFunc(v.Findings, func(f runview.FindingView) bool { return f.ID == m.Finding })
		for _, p := range m.Points {
			if v.Findings[at].Of == role && p.Found != nil {
				largest = max(largest, math.Abs(p.Found.Error))
			}
		}
	}
	return largest
}

// yearsOf is how long ago a role's standard was certified when it was bound.
func yearsOf(r runview.RoleView) float64 {
	return math.Max(0, r.BoundAt.Sub(r.Standard.Certificate.On).Hours()/24/365.25)
}

// roomOf is the room that a round of a measure was read in.
func roomOf(v runview.View, m runview.MeasureView, round int) procedure.Ambient {
	for _, f := range v.Findings {
		if f.ID == m.Finding && round < len(f.Rooms) {
			return f.Rooms[round]
		}
	}
	return v.Ambient
}

// values are the readings of a point that count in a round: after a look at the set-up, those since the far-out one.
func values(p runview.PointView, round int, display float64) (all []float64, left, quantum, step float64) {
	step = display
	fine := true
	var counted []runview.ReadingView
	for _, r := range p.Readings {
		if r.Round == round && r.Withdrawn == "" && !r.Void && !r.FarOut {
			counted = append(counted, r)
		}
	}
	for _, r := range counted {
		all, left, quantum = append(all, r.Values...), max(left, r.Left), max(quantum, r.Quantum)
		fine = fine && r.Fine > 0
	}
	if len(counted) > 0 && fine {
		step = counted[0].Fine
	}
	return all, left, quantum, step
}

// Every number on a certificate follows from the data inside it, for a run of every procedure, good and bad: reference,
// error, limit, U, verdict, the sentence for as found, and the rows as they are printed.
func TestEveryNumberOnACertificateFollowsFromItsData(t *testing.T) {
	all, err := definition.Shipped()
	require.NoError(t, err)
	for _, p := range all {
		for _, share := range []float64{0.001, 0.03} {
			t.Run(p.ID, func(t *testing.T) {
				w := technician(&off{share})
				r, _, err := w.Work(p, opened(p))
				require.NoError(t, err)
				data, printed := attached(t, runview.Of(r, w.At))
				var v runview.View
				require.NoError(t, json.Unmarshal(data, &v))
				out, read := 0, 0
				for _, m := range v.Measures {
					for _, point := range m.Points {
						if point.Found != nil {
							if read++; !point.Found.Pass && v.About(m) == "" {
								out++
							}
						}
						for _, was := range []*runview.VerdictView{point.Found, point.Left} {
							if was == nil {
								continue
							}
							again, at := recomputed(t, v, m, point, was.Verdict), m.Title+" "+point.Label
							for what, pair := range map[string][2]float64{"reference": {was.Reference, again.Reference},
								"indicated": {was.Indicated, again.Indicated}, "error": {was.Error, again.Error}, "U": {was.U, again.U},
								"k": {was.K, again.K}, "TUR": {was.TUR, again.TUR}, "share": {was.ErrorToLimit, again.ErrorToLimit}} {
								assert.InDelta(t, pair[0], pair[1], 1e-9*math.Max(1, math.Abs(pair[0])), "%s of %s", what, at)
							}
							assert.Equal(t, was.Zone, again.Zone, at)
							assert.Equal(t, was.Formula, again.Formula, at)
							sum := 0.0
							for _, term := range was.Budget.Lines {
								sum += term.Contribution * term.Contribution
							}
							assert.InDelta(t, was.U, was.K*math.Sqrt(sum), 1e-9*math.Max(1, was.U), "U of %s is the root of its terms' squares", at)
							if printed != "" {
								shown := quantity.Format(was.Indicated, m.Resolution)
								if m.Stage != nil { // what a balance measured, and no display of the device
									shown = quantity.Format(was.Indicated, m.Resolution/10)
								}
								assert.Contains(t, printed, shown, "%s as it is printed", at)
							}
						}
					}
				}
				require.Equal(t, p.Maintains, read == 0)
				if p.Maintains {
					return
				}
				want := "inside at all of"
				switch {
				case out > 0:
					want = "outside at"
				case p.ID == "collection-bags-and-meter":
					want = "judged together"
				}
				assert.Contains(t, v.AsFound(), want)
			})
		}
	}
}

// What a capture computed beside its reading, and what other criteria say, stands in words and drawings on paper.
func TestWhatElseACertificateCarries(t *testing.T) {
	all, err := definition.Shipped()
	require.NoError(t, err)
	said := map[string][]string{
		"infusion-pump-flow": {"Trumpet curve, 25 mL/h, 31 min", "Trumpet curve (window, min: error of the mean flow, %): 2.0: ",
			"Start-up curve (min: mean over 1.5 min, % of the set rate): 1.5: ", "over 1 min not evaluated, fewer than ten drops"},
		"photometer-calibration":      {"Recovery from"},
		"collection-bags-and-meter":   {"Corrected volume = (shown − "},
		"patient-scale-verification":  {"By the criterion “Handbook 44, maintenance”, inside: empty, 10 %, 25 %, 50 %"},
		"metabolic-cart-verification": {"By the criterion “within 50 mL”, inside"},
		"spirometer-verification":     {"By the criterion “within 5 %”, inside"},
	}
	for _, p := range all {
		words, listed := said[p.ID]
		if !listed {
			continue
		}
		t.Run(p.ID, func(t *testing.T) {
			v, err := sim.TryOut(p, demo.Lab(), monday)
			require.NoError(t, err)
			_, printed := attached(t, v)
			if folder := os.Getenv("NEEDLE_SHOTS"); folder != "" {
				pdf, _ := paper.Certificate(v, paper.Issue{Head: "0"})
				require.NoError(t, os.WriteFile(filepath.Join(folder, p.ID+".pdf"), pdf, 0o600))
			}
			if printed == "" {
				t.Skip("no tool to read a PDF with")
			}
			for _, word := range words {
				assert.Contains(t, strings.Join(strings.Fields(printed), " "), word)
			}
		})
	}
}
