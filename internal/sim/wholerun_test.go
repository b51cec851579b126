package sim_test

import (
	"encoding/json"
	"flag"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"northneedle/core/conformity"
	"northneedle/core/gas"
	"northneedle/core/procedure"
	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/definition"
	"northneedle/internal/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var writeScreens = flag.Bool("write-screens", false, "write what the bench is shown of the whole runs")

// wholeRuns are runs whose every figure a program computed that shares nothing with this one.
const wholeRuns = "../../testdata/whole-runs/"

type givenRun struct {
	Procedure string
	Plate     map[string]json.Number
	Choices   map[string]string
	Standards map[string]struct {
		Tag, Name, Kind, Lot string
		CertifiedOn          string                `json:"certified_on"`
		BoundAt              time.Time             `json:"bound_at"`
		Values               []reference.Certified `json:"values"`
	}
	Measures map[string]struct{ Step float64 }
	Points   []givenPoint
}

type givenPoint struct {
	Measure, Point string
	Readings       []float64
	Drop           float64 `json:"drop_g"`
}

// read is the reading that comes after n others: read again, whatever was tried, a device shows what it did.
func (p givenPoint) read(n int) []float64 { return p.Readings[n%len(p.Readings):][:1] }

type expectedRun struct {
	Points    []expectedPoint
	Outside   int
	Gain      *float64 // of a meter, by the line through all its points
	DeadSpace float64  `json:"dead_space"`
	Result    run.Result
}

type expectedPoint struct {
	Measure, Point                         string
	Reference, Indicated, Error, U, K, TUR float64
	Low, High                              *float64
	Zone                                   conformity.Zone
	Row                                    map[string]string
}

// agrees holds a verdict to what was computed.
func (p expectedPoint) agrees(t *testing.T, v *runview.VerdictView) {
	t.Helper()
	at := p.Measure + "/" + p.Point
	for what, pair := range map[string][2]float64{"reference": {p.Reference, v.Reference}, "indicated": {p.Indicated, v.Indicated},
		"error": {p.Error, v.Error}, "U": {p.U, v.U}, "k": {p.K, v.K}, "TUR": {p.TUR, v.TUR}} {
		assert.InDelta(t, pair[0], pair[1], 1e-7*max(1, pair[0]), "%s of %s", what, at)
	}
	for what, pair := range map[string][2]*float64{"low": {p.Low, v.Low}, "high": {p.High, v.High}} {
		require.Equal(t, pair[0] == nil, pair[1] == nil, "%s of %s", what, at)
		if pair[0] != nil {
			assert.InDelta(t, *pair[0], *pair[1], 1e-9, "%s of %s", what, at)
		}
	}
	assert.Equal(t, p.Zone, v.Zone, at)
}

func readJSON(t *testing.T, file string, into any) {
	t.Helper()
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(text, into))
}

// workedAs works a run with the readings that are given, one after another, in whatever way each point is read.
func workedAs(t *testing.T, given givenRun) runview.View {
	t.Helper()
	all, err := definition.Shipped()
	require.NoError(t, err)
	w := technician(&off{})
	w.Plate = map[string]string{}
	for field, value := range given.Plate {
		w.Plate[field] = value.String()
	}
	maps.Copy(w.Plate, given.Choices)
	w.Standard = func(_ run.Run, role reference.Role) reference.Standard {
		s, known := given.Standards[role.ID]
		if !known {
			return reference.Standard{}
		}
		on, err := time.Parse(time.DateOnly, s.CertifiedOn)
		require.NoError(t, err)
		standard := reference.Standard{ID: s.Tag, Tag: s.Tag, Name: s.Name, Kind: s.Kind, Lot: s.Lot, Status: reference.Usable, Values: s.Values,
			Prepared:    demo.Fitting(role, monday).Prepared,
			Certificate: reference.Certificate{Number: "K-1", Issuer: "Quayside Metrology", On: on, DueOn: on.AddDate(3, 0, 0)}}
		if s.Kind == "gas" {
			standard.Cylinder = &gas.Cylinder{WaterVolumeL: 2, GaugeBar: 60, ReserveBar: 5}
		}
		return standard
	}
	taken := map[string]int{}
	w.Capture = func(_ run.Run, m *procedure.Measure, p *procedure.Point) (run.CaptureReading, error) {
		for _, point := range given.Points {
			if key := m.ID + "/" + p.ID; point.Measure == m.ID && point.Point == p.ID {
				n := taken[key]
				taken[key]++
				return run.CaptureReading{Measure: m.ID, Point: p.ID, Values: point.read(n), Linked: true, Steady: true,
					Quantum: point.Drop, Origin: &run.Origin{Frame: key + "/" + string(rune('a'+n)), Name: "Bench", Kind: "bench"}}, nil
			}
		}
		require.FailNow(t, "no reading is given", "%s %s", m.ID, p.ID)
		return run.CaptureReading{}, nil
	}
	w.Truth = givenTruth{t, given, map[string]int{}}
	for _, p := range all {
		if p.ID != given.Procedure {
			continue
		}
		open := opened(p)
		open.Device.Resolution = map[string]float64{}
		for id, m := range given.Measures {
			open.Device.Resolution[id] = m.Step
		}
		r, _, err := w.Work(p, open)
		require.NoError(t, err)
		for role, s := range given.Standards {
			assert.Equal(t, s.BoundAt, r.Bound[role].At.UTC(), role)
		}
		return runview.Of(r, w.At)
	}
	require.FailNow(t, "no such procedure")
	return runview.View{}
}

// givenTruth is a device that shows what is given.
type givenTruth struct {
	t     *testing.T
	given givenRun
	taken map[string]int
}

func (g givenTruth) Read(measure, point string, _ float64) float64 {
	for _, p := range g.given.Points {
		if p.Measure == measure && p.Point == point {
			n := g.taken[measure+"/"+point]
			g.taken[measure+"/"+point]++
			return p.read(n)[0]
		}
	}
	require.FailNow(g.t, "no reading is given", "%s %s", measure, point)
	return 0
}

func (g givenTruth) Turn(_, _ string, _ float64) {}

// onThePage are the runs that the tests of the page show.
var onThePage = []string{"capnograph", "scale", "pump"}

// A whole run of every family, healthy and with a fault, says what an independent program computed of the same readings: in its
// verdicts, in the data inside its certificate, in the certificate's own words, and in what the bench is shown.
func TestWholeRunsSayWhatWasComputedIndependently(t *testing.T) {
	all, err := filepath.Glob(wholeRuns + "*.given.json")
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(all), 28)
	for _, file := range all {
		name := strings.TrimSuffix(filepath.Base(file), ".given.json")
		t.Run(name, func(t *testing.T) {
			var given givenRun
			var want expectedRun
			readJSON(t, wholeRuns+name+".given.json", &given)
			readJSON(t, wholeRuns+name+".expect.json", &want)
			data, printed := attached(t, workedAs(t, given))
			var v runview.View
			require.NoError(t, json.Unmarshal(data, &v))
			assert.Equal(t, want.Result, v.Result, v.ResultWhy)
			found, left := map[string]*runview.VerdictView{}, map[string]*runview.VerdictView{}
			for _, m := range v.Measures {
				for _, p := range m.Points {
					if p.Found != nil {
						found[m.ID+"/"+p.ID], left[m.ID+"/"+p.ID] = p.Found, p.Left
					}
				}
			}
			assert.Len(t, found, len(want.Points), "as many points as were computed, and no more")
			for _, p := range want.Points {
				at := p.Measure + "/" + p.Point
				v := found[at]
				require.NotNil(t, v, at)
				p.agrees(t, v)
				if again := left[at]; again != nil { // whatever was tried, the device showed the same
					p.agrees(t, again)
				}
				if printed != "" {
					assert.True(t, hasRow(printed, p.Row), "%s is printed as %v", at, p.Row)
				}
			}
			for _, f := range v.Findings {
				for i := 0; want.Gain != nil && f.Seen != nil && i < len(f.Seen.Figures); i++ {
					figure := f.Seen.Figures[i]
					if of, is := map[string]float64{"deadspace": want.DeadSpace, "gain": *want.Gain}[figure.ID]; is {
						assert.InDelta(t, of, figure.Value, 1e-9, figure.ID)
					}
				}
			}
			if !slices.Contains(onThePage, name) {
				return
			}
			screen := filepath.Join(wholeRuns, name+".view.json")
			text, err := json.MarshalIndent(v, "", " ")
			require.NoError(t, err)
			if *writeScreens {
				require.NoError(t, os.WriteFile(screen, append(text, '\n'), 0o644))
			}
			kept, err := os.ReadFile(screen)
			require.NoError(t, err)
			assert.JSONEq(t, string(text), string(kept), "the tests of the page show this run: write it with -write-screens")
		})
	}
}

// hasRow reports whether some line of a certificate has all figures of a row.
func hasRow(printed string, row map[string]string) bool {
	for line := range strings.Lines(printed) {
		words, all := strings.Fields(line), true
		for _, figure := range row {
			has := false
			for _, word := range words {
				has = has || word == figure
			}
			all = all && has
		}
		if all {
			return true
		}
	}
	return false
}
