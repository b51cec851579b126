package core_test

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"testing"

	"northneedle/core/conformity"
	"northneedle/core/fit"
	"northneedle/core/gas"
	"northneedle/core/method"
	"northneedle/core/signal"
	"northneedle/core/uncertainty"

	"github.com/stretchr/testify/require"
)

// The vectors were computed independently of this project, from published
// formulas. A case compares by its own
// rule, or its file's: relative, absolute, or either where both are given; text and null exactly.

type rule struct {
	Rel     *float64        `json:"rel"`
	Abs     *float64        `json:"abs"`
	PerCase bool            `json:"per_case"`
	Fields  map[string]rule `json:"fields"`
}

type vectorCase struct {
	Name    string          `json:"name"`
	Given   json.RawMessage `json:"given"`
	Expect  map[string]any  `json:"expect"`
	Compare *rule           `json:"compare"`
}

type vectorFile struct {
	Topic   string       `json:"topic"`
	Compare rule         `json:"compare"`
	Cases   []vectorCase `json:"cases"`
}

// topics computes what a case of each topic should give.
var topics = map[string]func(json.RawMessage) (map[string]any, error){
	"water_vapour": func(raw json.RawMessage) (map[string]any, error) {
		g := given(raw)
		p, err := gas.SaturationPressure(g["temperature_c"])
		return map[string]any{"saturation_pressure_hpa": p}, err
	},
	"gas_conditions": func(raw json.RawMessage) (map[string]any, error) {
		var g struct {
			VolumeL  float64       `json:"volume_l"`
			From, To gas.Condition `json:"-"`
			RawFrom  gas.Condition `json:"from"`
			RawTo    gas.Condition `json:"to"`
		}
		if err := json.Unmarshal(raw, &g); err != nil {
			return nil, err
		}
		f, err := gas.Factor(g.RawFrom, g.RawTo)
		return map[string]any{"factor": f, "volume_l": f * g.VolumeL}, err
	},
	"co2_partial_pressure": func(raw json.RawMessage) (map[string]any, error) {
		var g struct {
			Percent float64   `json:"co2_vol_percent"`
			HPa     float64   `json:"barometric_pressure_hpa"`
			Basis   gas.Basis `json:"basis"`
		}
		if err := json.Unmarshal(raw, &g); err != nil {
			return nil, err
		}
		p, err := gas.PartialPressure(g.Percent, g.HPa, g.Basis)
		return map[string]any{"pco2_mmhg": p / gas.MmHgHPa, "pco2_kpa": p / 10}, err
	},
	"cylinder":           cylinderTopic,
	"uncertainty_budget": budgetTopic,
	"conformity":         conformityTopic,
	"tolerance_text": func(raw json.RawMessage) (map[string]any, error) {
		var g struct {
			Text      string
			Reference float64
		}
		if err := json.Unmarshal(raw, &g); err != nil {
			return nil, err
		}
		t, err := conformity.ParseTolerance(g.Text)
		if err != nil {
			return nil, err
		}
		l, err := t.Limits(g.Reference)
		return map[string]any{"low": l.Low, "high": l.High}, err
	},
	"straight_line": lineTopic,
	"scale_limits": func(raw json.RawMessage) (map[string]any, error) {
		g := given(raw)
		load, d := g["load_kg"], g["division_kg"]
		out := map[string]any{}
		for name, school := range map[string]method.Regime{"r76_initial_kg": method.R76Initial, "r76_in_service_kg": method.R76InService, "hb44_maintenance_kg": method.HB44Maintenance, "hb44_acceptance_kg": method.HB44Acceptance} {
			limit, err := method.ScaleLimit(school, load, d)
			if err != nil {
				return nil, err
			}
			out[name] = limit
		}
		n, err := method.Divisions(load, d)
		out["load_intervals"] = n
		return out, err
	},
	"steady": func(raw json.RawMessage) (map[string]any, error) {
		var g struct {
			T    []float64 `json:"time_s"`
			Y    []float64 `json:"y"`
			Band float64   `json:"band"`
		}
		if err := json.Unmarshal(raw, &g); err != nil {
			return nil, err
		}
		trace := make([]signal.Sample, len(g.T))
		for i := range trace {
			trace[i] = signal.Sample{T: g.T[i], V: g.Y[i]}
		}
		s, err := signal.Settle(trace, g.Band)
		return map[string]any{"y_inf": s.Final, "tau_s": s.Tau, "time_to_band_s": s.TimeToBand}, err
	},
}

func given(raw json.RawMessage) map[string]float64 {
	g := map[string]float64{}
	_ = json.Unmarshal(raw, &g) // fields that are not numbers are not asked for
	return g
}

func cylinderTopic(raw json.RawMessage) (map[string]any, error) {
	g := given(raw)
	c := gas.Cylinder{WaterVolumeL: g["water_volume_l"], GaugeBar: g["gauge_bar"], ReserveBar: g["reserve_bar"]}
	out := map[string]any{"content_l": c.Content(), "usable_l": c.Usable(), "loss_l": c.Loss(g["later_gauge_bar"], g["metered_use_l"])}
	for _, name := range []string{"flow_l_min", "flow_lpm"} {
		if flow, ok := g[name]; ok {
			minutes, err := c.Minutes(flow)
			if err != nil {
				return nil, err
			}
			out["minutes_at_flow"] = minutes
		}
	}
	return out, nil
}

func budgetTopic(raw json.RawMessage) (map[string]any, error) {
	var g struct {
		Contributions []struct {
			Name         string
			Distribution uncertainty.Distribution
			Expanded     float64 `json:"expanded_uncertainty"`
			HalfWidth    float64 `json:"half_width"`
			K            float64
			Sensitivity  float64
			DOF          float64
		}
	}
	if err := json.Unmarshal(raw, &g); err != nil {
		return nil, err
	}
	var terms []uncertainty.Term
	for _, c := range g.Contributions {
		terms = append(terms, uncertainty.Term{Name: c.Name, Distribution: c.Distribution, Width: c.Expanded + c.HalfWidth, K: c.K, Sensitivity: c.Sensitivity, DOF: c.DOF})
	}
	b, err := uncertainty.Combine(terms...)
	var us, parts []any
	for _, line := range b.Lines {
		us, parts = append(us, line.StandardUncertainty), append(parts, line.Contribution)
	}
	out := map[string]any{"standard_uncertainties": us, "contributions": parts, "combined_standard_uncertainty": b.Combined, "coverage_factor": b.K, "expanded_uncertainty": b.Expanded, "effective_dof": nil}
	if b.EffectiveDOF > 0 {
		out["effective_dof"] = b.EffectiveDOF
	}
	return out, err
}

func conformityTopic(raw json.RawMessage) (map[string]any, error) {
	g := given(raw)
	a, err := conformity.Assess(g["error"], conformity.Limits{Low: g["lower_limit"], High: g["upper_limit"]}, g["expanded_uncertainty"], g["k"])
	return map[string]any{"tur": a.TUR, "outcome": string(a.Zone), "simple_acceptance": a.Zone.Within(), "conformance_probability": a.ConformanceProbability}, err
}

func lineTopic(raw json.RawMessage) (map[string]any, error) {
	var g struct {
		X, Y []float64
		XNew float64 `json:"x_new"`
	}
	if err := json.Unmarshal(raw, &g); err != nil {
		return nil, err
	}
	l, err := fit.Straight(g.X, g.Y)
	if err != nil {
		return nil, err
	}
	origin, err := fit.ThroughOrigin(g.X, g.Y)
	if err != nil {
		return nil, err
	}
	out := map[string]any{"intercept": l.Intercept, "slope": l.Slope, "u_intercept": l.UIntercept, "u_slope": l.USlope, "residual_sd": l.ResidualSD, "r_squared": l.RSquared,
		"n": float64(l.N), "p_intercept_zero": l.PInterceptZero, "p_slope_one": l.PSlopeOne, "slope_through_origin": origin}
	if low, high, err := l.Predict(g.XNew); err == nil {
		out["y_new"], out["prediction_low"], out["prediction_high"] = l.At(g.XNew), low, high
	}
	return out, nil
}

func TestVectors(t *testing.T) {
	folder := os.Getenv("NEEDLE_VECTORS")
	if folder == "" {
		folder = filepath.Join("..", "testdata", "vectors")
	}
	files, err := filepath.Glob(filepath.Join(folder, "*.json"))
	require.NoError(t, err)
	require.NotEmpty(t, files)
	ran := map[string]bool{}
	for _, file := range files {
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		var v vectorFile
		require.NoError(t, json.Unmarshal(text, &v), file)
		compute, known := topics[v.Topic]
		if !known {
			if os.Getenv("NEEDLE_VECTORS") != "" {
				t.Errorf("topic %s is not covered", v.Topic)
			}
			continue
		}
		ran[v.Topic] = true
		for _, c := range v.Cases {
			t.Run(v.Topic+"/"+c.Name, func(t *testing.T) {
				got, err := compute(c.Given)
				require.NoError(t, err)
				r := v.Compare
				if c.Compare != nil {
					r = *c.Compare
				}
				for field, want := range c.Expect {
					value, ok := got[field]
					require.True(t, ok, "field %s is not known", field)
					one := r
					if f, ok := r.Fields[field]; ok {
						one = f
					}
					require.NoError(t, compare(want, value, one), field)
				}
			})
		}
	}
	require.Len(t, ran, len(topics), "every topic the core covers has its vectors")
}

func compare(want, got any, r rule) error {
	switch w := want.(type) {
	case []any:
		g, ok := got.([]any)
		if !ok || len(g) != len(w) {
			return fmt.Errorf("want %v, got %v", want, got)
		}
		for i := range w {
			if err := compare(w[i], g[i], r); err != nil {
				return err
			}
		}
		return nil
	case float64:
		g, ok := got.(float64)
		if !ok {
			return fmt.Errorf("want %v, got %v", want, got)
		}
		d := math.Abs(g - w)
		near := r.Rel != nil && (d <= *r.Rel*math.Abs(w) || w == 0 && d <= 1e-9) || r.Abs != nil && d <= *r.Abs || r.Rel == nil && r.Abs == nil && d == 0
		if !near {
			return fmt.Errorf("want %v, got %v", w, g)
		}
		return nil
	}
	if want != got {
		return fmt.Errorf("want %v, got %v", want, got)
	}
	return nil
}
