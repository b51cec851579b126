package families_test

import (
	"encoding/json"
	"fmt"
	"math"
	"strconv"

	"northneedle/core/conformity"
	"northneedle/core/control"
	"northneedle/core/fit"
	"northneedle/core/gas"
	"northneedle/core/interval"
	"northneedle/core/signal"
	"northneedle/core/uncertainty"
	"northneedle/families/audiometer"
	"northneedle/families/collectionbags"
	"northneedle/families/infusionpump"
	"northneedle/families/patientscale"
	"northneedle/families/photometer"
	"northneedle/families/ventilator"
)

type dialLevel struct {
	Dial  float64 `json:"dial_db"`
	Level float64 `json:"level_db"`
}

type topic = func(json.RawMessage) (map[string]any, error)

// topics computes what a case of each topic should give.
var topics = map[string]topic{
	"water_vapour": of(func(g struct {
		TemperatureC float64 `json:"temperature_c"`
	}) (map[string]any, error) {
		p, err := gas.SaturationPressure(g.TemperatureC)
		return map[string]any{"saturation_pressure_hpa": p}, err
	}),
	"gas_conditions": of(func(g struct {
		VolumeL float64       `json:"volume_l"`
		From    gas.Condition `json:"from"`
		To      gas.Condition `json:"to"`
	}) (map[string]any, error) {
		f, err := gas.Factor(g.From, g.To)
		return map[string]any{"factor": f, "volume_l": f * g.VolumeL}, err
	}),
	"co2_partial_pressure": of(func(g struct {
		Percent float64   `json:"co2_vol_percent"`
		HPa     float64   `json:"barometric_pressure_hpa"`
		Basis   gas.Basis `json:"basis"`
	}) (map[string]any, error) {
		p, err := gas.PartialPressure(g.Percent, g.HPa, g.Basis)
		return map[string]any{"pco2_mmhg": p / gas.MmHgHPa, "pco2_kpa": p / 10}, err
	}),
	"water_density": of(func(g struct {
		TemperatureC float64 `json:"temperature_c"`
	}) (map[string]any, error) {
		d, err := gas.WaterDensity(g.TemperatureC)
		return map[string]any{"density_kg_m3": d}, err
	}),
	"air_density": of(func(g struct {
		TemperatureC float64 `json:"temperature_c"`
		PressureHPa  float64 `json:"pressure_hpa"`
		Humidity     float64 `json:"relative_humidity_percent"`
	}) (map[string]any, error) {
		d, err := gas.AirDensity(g.TemperatureC, g.PressureHPa, g.Humidity)
		return map[string]any{"density_kg_m3": d}, err
	}),
	"drop_quantum": of(func(g struct {
		MassG    float64 `json:"mass_g"`
		Minutes  float64 `json:"minutes"`
		DropG    float64 `json:"drop_g"`
		BalanceU float64 `json:"balance_expanded_uncertainty_g"`
		PerGram  float64 `json:"ml_per_g"`
		Relative float64 `json:"target_relative"`
	}) (map[string]any, error) {
		flow, u, minutes, err := infusionpump.FlowUncertainty(g.MassG, g.Minutes, g.DropG, g.BalanceU, g.PerGram, g.Relative)
		return map[string]any{"flow_ml_h": flow, "expanded_uncertainty_ml_h": u, "minutes_for_u": minutes}, err
	}),
	"cylinder":           of(cylinderTopic),
	"haldane":            of(haldaneTopic),
	"uncertainty_budget": of(budgetTopic),
	"conformity":         of(conformityTopic),
	"global_risk": of(func(g struct {
		Prior   float64 `json:"prior_sd"`
		U       float64 `json:"measurement_standard_uncertainty"`
		TolLow  float64 `json:"lower_tolerance"`
		TolHigh float64 `json:"upper_tolerance"`
		AccLow  float64 `json:"lower_acceptance"`
		AccHigh float64 `json:"upper_acceptance"`
	}) (map[string]any, error) {
		r, err := conformity.Global(g.Prior, g.U, conformity.Limits{Low: g.TolLow, High: g.TolHigh},
			conformity.Limits{Low: g.AccLow, High: g.AccHigh})
		return map[string]any{"consumer_risk": r.Consumer, "producer_risk": r.Producer}, err
	}),
	"tolerance_text": of(func(g struct {
		Text      string  `json:"text"`
		Reference float64 `json:"reference"`
	}) (map[string]any, error) {
		t, err := conformity.ParseTolerance(g.Text)
		if err != nil {
			return nil, err
		}
		l, err := t.Limits(g.Reference)
		return map[string]any{"low": l.Low, "high": l.High}, err
	}),
	"straight_line":      of(lineTopic),
	"scale_limits":       of(scaleTopic),
	"gravimetric_volume": of(weighingTopic),
	"scale_nominal": of(func(g struct {
		Nominal   float64 `json:"nominal_load_kg"`
		Certified float64 `json:"certified_load_kg"`
		Indicated float64 `json:"indicated_kg"`
		Division  float64 `json:"division_kg"`
		Table     string  `json:"table"`
	}) (map[string]any, error) {
		table := map[string]patientscale.Regime{"r76-initial": patientscale.R76Initial, "r76-in-service": patientscale.R76InService,
			"hb44-acceptance": patientscale.HB44Acceptance, "hb44-maintenance": patientscale.HB44Maintenance}[g.Table]
		if patientscale.Nominal(g.Certified) != g.Nominal && math.Abs(patientscale.Nominal(g.Certified)-g.Nominal) > 1e-9 {
			return nil, fmt.Errorf("%g is taken for a nominal %g", g.Certified, patientscale.Nominal(g.Certified))
		}
		limit, err := patientscale.ScaleLimit(table, patientscale.Nominal(g.Certified), g.Division)
		if err != nil {
			return nil, err
		}
		a, err := conformity.Assess(g.Indicated-g.Certified, conformity.Limits{Low: -limit, High: limit}, 1e-6, 2)
		return map[string]any{"limit_kg": limit, "error_kg": g.Indicated - g.Certified, "inside": a.Zone.Within()}, err
	}),
	"trumpet": of(func(g struct {
		Set    float64   `json:"set_rate_ml_h"`
		Sample float64   `json:"sample_interval_min"`
		Flow   []float64 `json:"flow_ml_h"`
	}) (map[string]any, error) {
		windows := []float64{1, 2, 5, 11, 19, 31} // observation windows of IEC 60601-2-24
		t, err := infusionpump.TrumpetCurve(g.Flow, g.Sample, g.Set, windows)
		return map[string]any{
			"windows_min":        list(t.WindowsMin),
			"ep_max_percent":     list(t.Max),
			"ep_min_percent":     list(t.Min),
			"mean_error_percent": t.Mean,
		}, err
	}),
	"gravity": of(func(g struct {
		Adjusted patientscale.Spot `json:"adjusted_at"`
		Used     patientscale.Spot `json:"used_at"`
	}) (map[string]any, error) {
		a, err := g.Adjusted.Gravity()
		if err != nil {
			return nil, err
		}
		b, err := g.Used.Gravity()
		if err != nil {
			return nil, err
		}
		moved, err := patientscale.Moved(g.Adjusted, g.Used)
		return map[string]any{"g_adjusted_m_s2": a, "g_used_m_s2": b, "indication_change_percent": moved}, err
	}),
	"steady": of(func(g struct {
		T    []float64 `json:"time_s"`
		Y    []float64 `json:"y"`
		Band float64   `json:"band"`
	}) (map[string]any, error) {
		a, err := signal.FitApproach(pairs(g.T, g.Y))
		return map[string]any{"y_inf": a.Final, "tau_s": a.Tau, "time_to_band_s": a.Within(g.Band)}, err
	}),
	"settling_remainder": of(func(g struct {
		T     []float64 `json:"time_s"`
		Y     []float64 `json:"y"`
		Limit float64   `json:"limit"`
	}) (map[string]any, error) {
		a, err := signal.FitApproach(pairs(g.T, g.Y))
		left := a.Left(g.T[len(g.T)-1])
		return map[string]any{"y_inf": a.Final, "remainder": left, "ready": left <= g.Limit/4}, err
	}),
	"stroke":        of(strokeTopic),
	"control_rules": of(rulesTopic),
	"control_segments": of(func(g struct {
		Z      [][]float64 `json:"z_scores"`
		Starts []int       `json:"starts"`
	}) (map[string]any, error) {
		first := map[string]any{}
		for _, rule := range control.Rules {
			first[string(rule)] = nil
			if i, fires := rule.First(g.Z, g.Starts...); fires {
				first[string(rule)] = float64(i)
			}
		}
		return map[string]any{"first_run_index": first,
			"rejected_at_end": control.Judge(g.Z, len(g.Z)-1, g.Starts...).Rejected}, nil
	}),
	"bag_correction": of(func(g struct {
		Syringe    float64   `json:"syringe_volume_l"`
		U          float64   `json:"syringe_expanded_uncertainty_l"`
		Strokes    []float64 `json:"strokes"`
		Indicated  []float64 `json:"indicated_l"`
		Resolution float64   `json:"meter_resolution_l"`
		New        []float64 `json:"new_indicated_l"`
	}) (map[string]any, error) {
		delivered := make([]float64, len(g.Strokes))
		for i, n := range g.Strokes {
			delivered[i] = n * g.Syringe
		}
		c, err := collectionbags.MeterCorrection(delivered, g.Indicated)
		if err != nil {
			return nil, err
		}
		var corrected, expanded []float64
		for _, shown := range g.New {
			v, u, err := c.Apply(shown, g.U/2/g.Syringe, g.Resolution)
			if err != nil {
				return nil, err
			}
			corrected, expanded = append(corrected, v), append(expanded, u)
		}
		return map[string]any{"dead_space_l": c.DeadSpace(), "gain": c.Gain(), "u_dead_space_l": c.UIntercept, "u_gain": c.USlope,
			"p_dead_space_zero": c.PInterceptZero, "p_gain_one": c.PSlopeOne,
			"corrected_l": list(corrected), "expanded_uncertainty_l": list(expanded)}, nil
	}),
	"pressure_decay_leak": of(func(g struct {
		T          []float64 `json:"time_s"`
		P          []float64 `json:"pressure_cmh2o"`
		Compliance float64   `json:"compliance_ml_per_cmh2o"`
		Test       float64   `json:"test_pressure_cmh2o"`
	}) (map[string]any, error) {
		tau, err := signal.DecayTime(pairs(g.T, g.P))
		return map[string]any{"tau_s": tau, "leak_l_min": signal.Leak(g.Compliance, g.Test, tau)}, err
	}),
	"breath_with_pause": of(func(g struct {
		Rate  float64   `json:"sample_rate_hz"`
		Start float64   `json:"start_threshold_l_min"`
		End   float64   `json:"end_threshold_l_min"`
		Flow  []float64 `json:"flow_l_min"`
		P     []float64 `json:"pressure_cmh2o"`
	}) (map[string]any, error) {
		times := make([]float64, len(g.Flow))
		for i := range times {
			times[i] = float64(i) / g.Rate
		}
		breaths := signal.Ventilation(pairs(times, g.Flow), pairs(times, g.P), signal.Trigger{Start: g.Start, End: g.End})
		if len(breaths) != 1 {
			return nil, fmt.Errorf("%d breaths were found, not one", len(breaths))
		}
		b := breaths[0]
		out := map[string]any{"inspired_volume_ml": b.VTi, "inspiratory_time_s": b.Ti, "pause_s": b.Pause, "peep_cmh2o": b.PEEP,
			"ie_ratio_e_over_i": b.Ratio, "plateau_cmh2o": nil, "static_compliance_ml_per_cmh2o": nil}
		if b.Pause > 0 {
			out["plateau_cmh2o"], out["static_compliance_ml_per_cmh2o"] = b.Plateau, b.Compliance
		}
		return out, nil
	}),
	"condition_mismatch": of(func(g struct {
		Gain       float64                `json:"delivered_over_set"`
		U          float64                `json:"expanded_uncertainty"`
		Tolerance  float64                `json:"tolerance_relative"`
		Candidates []ventilator.Candidate `json:"candidates"`
	}) (map[string]any, error) {
		names := []any{}
		for _, c := range ventilator.ExplainedBy(g.Gain, g.U, g.Tolerance, g.Candidates) {
			names = append(names, c.Name)
		}
		a, err := conformity.Assess(g.Gain-1, conformity.Limits{Low: -g.Tolerance, High: g.Tolerance}, g.U, 2)
		return map[string]any{"device_inside": a.Zone.Within(), "explained_by": names}, err
	}),
	"attenuator_levels": of(func(g struct {
		Reference  float64     `json:"reference_dial_db"`
		Acoustic   []dialLevel `json:"acoustic"`
		Electrical []dialLevel `json:"electrical"`
	}) (map[string]any, error) {
		levels := func(all []dialLevel) (of []audiometer.DialLevel) {
			for _, l := range all {
				of = append(of, audiometer.DialLevel(l))
			}
			return of
		}
		a, err := audiometer.AttenuatorLevels(g.Reference, levels(g.Acoustic), levels(g.Electrical))
		deviations := []any{}
		for _, d := range a.Deviations {
			deviations = append(deviations, map[string]any{"dial_db": d.Dial, "deviation_db": d.DB})
		}
		out := map[string]any{"joined": a.Joined, "join_residual_db": nil, "deviations": deviations,
			"largest_deviation_db": a.Largest.DB, "its_dial_db": a.Largest.Dial, "step_errors_db": list(a.StepErrors)}
		if a.Joined {
			out["join_residual_db"] = a.JoinResidual
		}
		return out, err
	}),
	"drift_due": of(func(g struct {
		Records []struct {
			Day   float64 `json:"day"`
			Error float64 `json:"error"`
		} `json:"records"`
		Tolerance float64 `json:"tolerance"`
		Last      float64 `json:"last_verification_day"`
	}) (map[string]any, error) {
		c := interval.Course{Low: -g.Tolerance, High: g.Tolerance}
		for _, r := range g.Records {
			c.Days, c.Errors = append(c.Days, r.Day), append(c.Errors, r.Error)
		}
		d, err := c.Drift()
		out := map[string]any{"first_day_exceeding": nil, "days_left_from_last_verification": nil}
		if err != nil {
			return out, err
		}
		if day, ever := d.Out(); ever {
			left, _ := d.Left(g.Last)
			out["first_day_exceeding"], out["days_left_from_last_verification"] = float64(day), float64(left)
		}
		return out, nil
	}),
	"audiometry": kinds(audiometryKinds),
	"photometer": kinds(photometerKinds),
	"interval":   kinds(intervalKinds),
}

func pairs(times, values []float64) []signal.Sample {
	trace := make([]signal.Sample, len(times))
	for i := range trace {
		trace[i] = signal.Sample{T: times[i], V: values[i]}
	}
	return trace
}

func cylinderTopic(g struct {
	WaterVolumeL float64  `json:"water_volume_l"`
	GaugeBar     float64  `json:"gauge_bar"`
	ReserveBar   float64  `json:"reserve_bar"`
	Later        *float64 `json:"later_gauge_bar"`
	Metered      float64  `json:"metered_use_l"`
	Flow         *float64 `json:"flow_l_min"`
}) (map[string]any, error) {
	c := gas.Cylinder{WaterVolumeL: g.WaterVolumeL, GaugeBar: g.GaugeBar, ReserveBar: g.ReserveBar}
	out := map[string]any{"content_l": c.Content(), "usable_l": c.Usable()}
	if g.Later != nil {
		out["loss_l"] = c.Loss(*g.Later, g.Metered)
	}
	if g.Flow != nil {
		minutes, err := c.Minutes(*g.Flow)
		if err != nil {
			return nil, err
		}
		out["minutes_at_flow"] = minutes
	}
	return out, nil
}

func haldaneTopic(g struct {
	VE           float64 `json:"ve_l_min"`
	TemperatureC float64 `json:"temperature_c"`
	PressureHPa  float64 `json:"pressure_hpa"`
	FIO2         float64 `json:"fio2"`
	FICO2        float64 `json:"fico2"`
	FEO2         float64 `json:"feo2"`
	FECO2        float64 `json:"feco2"`
	O2Error      float64 `json:"o2_error_vol_percent"`
	CO2Error     float64 `json:"co2_error_vol_percent"`
	VEError      float64 `json:"ve_error_percent"`
}) (map[string]any, error) {
	e := gas.Exchange{
		VE:           g.VE,
		TemperatureC: g.TemperatureC,
		PressureHPa:  g.PressureHPa,
		FIO2:         g.FIO2,
		FICO2:        g.FICO2,
		FEO2:         g.FEO2,
		FECO2:        g.FECO2,
	}
	u, err := e.Uptake()
	if err != nil {
		return nil, err
	}
	off := e
	off.FEO2, off.FECO2, off.VE = e.FEO2+g.O2Error/100, e.FECO2+g.CO2Error/100, e.VE*(1+g.VEError/100)
	v, err := off.Uptake()
	change := func(a, b float64) float64 { return 100 * (b - a) / a }
	return map[string]any{"ve_stpd_l_min": u.VE, "vi_stpd_l_min": u.VI, "vo2_l_min": u.VO2, "vco2_l_min": u.VCO2,
		"rer":                u.RER,
		"vo2_change_percent": change(u.VO2, v.VO2), "vco2_change_percent": change(u.VCO2, v.VCO2),
		"rer_change_percent": change(u.RER, v.RER)}, err
}

func budgetTopic(g struct {
	Contributions []struct {
		Name         string                   `json:"name"`
		Distribution uncertainty.Distribution `json:"distribution"`
		Expanded     float64                  `json:"expanded_uncertainty"`
		HalfWidth    float64                  `json:"half_width"`
		K            float64                  `json:"k"`
		Sensitivity  *float64                 `json:"sensitivity"`
		DOF          float64                  `json:"dof"`
	} `json:"contributions"`
}) (map[string]any, error) {
	var terms []uncertainty.Term
	for _, c := range g.Contributions {
		terms = append(terms, uncertainty.Term{
			Name:         c.Name,
			Distribution: c.Distribution,
			Width:        c.Expanded + c.HalfWidth,
			K:            c.K,
			Sensitivity:  c.Sensitivity,
			DOF:          c.DOF,
		})
	}
	b, err := uncertainty.Combine(terms...)
	var us, parts []float64
	for _, line := range b.Lines {
		us, parts = append(us, line.StandardUncertainty), append(parts, line.Contribution)
	}
	out := map[string]any{
		"standard_uncertainties":        list(us),
		"contributions":                 list(parts),
		"combined_standard_uncertainty": b.Combined,
		"coverage_factor":               b.K,
		"expanded_uncertainty":          b.Expanded,
		"effective_dof":                 nil,
	}
	if b.EffectiveDOF > 0 {
		out["effective_dof"] = b.EffectiveDOF
	}
	return out, err
}

func conformityTopic(g struct {
	Error float64 `json:"error"`
	Low   float64 `json:"lower_limit"`
	High  float64 `json:"upper_limit"`
	U     float64 `json:"expanded_uncertainty"`
	K     float64 `json:"k"`
}) (map[string]any, error) {
	a, err := conformity.Assess(g.Error, conformity.Limits{Low: g.Low, High: g.High}, g.U, g.K)
	simple, _ := conformity.Rule{Kind: conformity.Simple}.Accepts(a)
	return map[string]any{
		"tur":                     a.TUR,
		"outcome":                 string(a.Zone),
		"simple_acceptance":       simple,
		"conformance_probability": a.ConformanceProbability,
	}, err
}

func lineTopic(g struct {
	X    []float64 `json:"x"`
	Y    []float64 `json:"y"`
	XNew *float64  `json:"x_new"`
}) (map[string]any, error) {
	l, err := fit.LinearRegression(g.X, g.Y)
	if err != nil {
		return nil, err
	}
	origin, err := fit.ThroughOrigin(g.X, g.Y)
	if err != nil {
		return nil, err
	}
	out := map[string]any{"intercept": l.Intercept, "slope": l.Slope, "u_intercept": l.UIntercept, "u_slope": l.USlope,
		"residual_sd": l.ResidualSD, "r_squared": l.RSquared,
		"n": float64(l.N), "p_intercept_zero": l.PInterceptZero, "p_slope_one": l.PSlopeOne,
		"slope_through_origin": origin}
	if g.XNew != nil {
		low, high, err := l.Predict(*g.XNew)
		if err != nil {
			return nil, err
		}
		out["y_new"], out["prediction_low"], out["prediction_high"] = l.At(*g.XNew), low, high
	}
	return out, nil
}

func scaleTopic(g struct {
	Load     float64 `json:"load_kg"`
	Division float64 `json:"division_kg"`
}) (map[string]any, error) {
	out := map[string]any{}
	for name, school := range map[string]patientscale.Regime{
		"r76_initial_kg":      patientscale.R76Initial,
		"r76_in_service_kg":   patientscale.R76InService,
		"hb44_maintenance_kg": patientscale.HB44Maintenance,
		"hb44_acceptance_kg":  patientscale.HB44Acceptance,
	} {
		limit, err := patientscale.ScaleLimit(school, g.Load, g.Division)
		if err != nil {
			return nil, err
		}
		out[name] = limit
	}
	n, err := patientscale.Divisions(g.Load, g.Division)
	out["load_intervals"] = n
	return out, err
}

func weighingTopic(g struct {
	Start       float64 `json:"mass_start_g"`
	End         float64 `json:"mass_end_g"`
	Minutes     float64 `json:"minutes"`
	Evaporation float64 `json:"evaporation_g_per_min"`
	Water       float64 `json:"water_temperature_c"`
	Air         float64 `json:"air_temperature_c"`
	Pressure    float64 `json:"pressure_hpa"`
	Humidity    float64 `json:"relative_humidity_percent"`
	Set         float64 `json:"set_rate_ml_h"`
}) (map[string]any, error) {
	d, err := infusionpump.Weighing{
		MassStartG:         g.Start,
		MassEndG:           g.End,
		Minutes:            g.Minutes,
		EvaporationGPerMin: g.Evaporation,
		WaterTemperatureC:  g.Water,
		AirTemperatureC:    g.Air,
		PressureHPa:        g.Pressure,
		HumidityPercent:    g.Humidity,
	}.Delivered()
	if err != nil {
		return nil, err
	}
	e, err := infusionpump.PercentError(d.FlowMLH, g.Set)
	return map[string]any{
		"mass_g":              d.MassG,
		"air_density_kg_m3":   d.AirDensity,
		"water_density_kg_m3": d.WaterDensity,
		"volume_ml":           d.VolumeML,
		"flow_ml_h":           d.FlowMLH,
		"error_percent":       e,
	}, err
}

func strokeTopic(g struct {
	Rate float64   `json:"sample_rate_hz"`
	Flow []float64 `json:"flow_lps"`
}) (map[string]any, error) {
	found, err := signal.FindStrokes(g.Flow, g.Rate, signal.Technique{})
	var strokes []any
	for _, s := range found.Strokes {
		one := map[string]any{
			"direction":     "negative",
			"volume_l":      s.Volume,
			"peak_flow_lps": s.Peak,
			"pause_after_s": nil,
		}
		if s.Positive {
			one["direction"] = "positive"
		}
		if s.Pause != nil {
			one["pause_after_s"] = *s.Pause
		}
		strokes = append(strokes, one)
	}
	return map[string]any{"zero_offset_lps": found.ZeroOffset, "strokes": strokes}, err
}

func rulesTopic(g struct {
	Z [][]float64 `json:"z_scores"`
}) (map[string]any, error) {
	first := map[string]any{}
	for _, rule := range control.Rules {
		first[string(rule)] = nil
		if i, fires := rule.First(g.Z); fires {
			first[string(rule)] = float64(i)
		}
	}
	return map[string]any{"first_run_index": first}, nil
}

var audiometryKinds = map[string]topic{
	"level": of(func(g struct {
		Dial     float64 `json:"dial_db_hl"`
		RETSPL   float64 `json:"retspl_db"`
		Measured float64 `json:"measured_spl_db"`
	}) (map[string]any, error) {
		return map[string]any{"level_error_db": audiometer.LevelError(g.Measured, g.Dial, g.RETSPL)}, nil
	}),
	"distortion": of(func(g struct {
		Amplitudes []float64 `json:"harmonic_amplitudes_mv"`
	}) (map[string]any, error) {
		thd, err := signal.Distortion(g.Amplitudes)
		return map[string]any{"thd_percent": thd}, err
	}),
	"frequency": of(func(g struct {
		Nominal  float64 `json:"nominal_hz"`
		Measured float64 `json:"measured_hz"`
	}) (map[string]any, error) {
		e, err := infusionpump.PercentError(g.Measured, g.Nominal)
		return map[string]any{"frequency_error_percent": e}, err
	}),
	"steps": of(func(g struct {
		Dial     []float64 `json:"dial_db_hl"`
		Measured []float64 `json:"measured_spl_db"`
	}) (map[string]any, error) {
		steps, worst, err := audiometer.StepErrors(g.Dial, g.Measured)
		return map[string]any{"step_errors_db": list(steps), "worst_step_error_abs_db": worst}, err
	}),
	"room-noise": of(func(g struct {
		Table  audiometer.RoomTable `json:"table"`
		Levels map[string]float64   `json:"band_levels_db"`
	}) (map[string]any, error) {
		levels := map[int]float64{}
		for band, level := range g.Levels {
			hz, err := strconv.Atoi(band)
			if err != nil {
				return nil, err
			}
			levels[hz] = level
		}
		n, err := g.Table.Judge(levels)
		return map[string]any{"worst_margin_db": n.MarginDB, "worst_band_hz": float64(n.BandHz),
			"pass": n.MarginDB >= 0}, err
	}),
	"energy-sum": of(func(g struct {
		Levels []float64 `json:"levels_db"`
	}) (map[string]any, error) {
		return map[string]any{"sum_db": audiometer.EnergySum(g.Levels...)}, nil
	}),
}

var photometerKinds = map[string]topic{
	"factor": of(func(g struct {
		Concentration float64 `json:"standard_concentration_mg_dl"`
		Standard      float64 `json:"standard_absorbance"`
		Blank         float64 `json:"blank_absorbance"`
		Sample        float64 `json:"sample_absorbance"`
	}) (map[string]any, error) {
		c, err := photometer.OnePoint(photometer.Calibrator{Concentration: g.Concentration, Absorbance: g.Standard},
			g.Blank)
		return map[string]any{"factor_mg_dl_per_absorbance": c.Slope, "sample_concentration_mg_dl": c.Of(g.Sample)}, err
	}),
	"two-point": of(func(g struct {
		LowC   float64 `json:"low_concentration_mg_dl"`
		LowA   float64 `json:"low_absorbance"`
		HighC  float64 `json:"high_concentration_mg_dl"`
		HighA  float64 `json:"high_absorbance"`
		Sample float64 `json:"sample_absorbance"`
	}) (map[string]any, error) {
		c, err := photometer.TwoPoint(photometer.Calibrator{Concentration: g.LowC, Absorbance: g.LowA},
			photometer.Calibrator{Concentration: g.HighC, Absorbance: g.HighA})
		return map[string]any{"slope_mg_dl_per_absorbance": c.Slope, "intercept_mg_dl": c.Intercept,
			"sample_concentration_mg_dl": c.Of(g.Sample)}, err
	}),
	"recovery": of(func(g struct {
		Found    float64 `json:"found_mg_dl"`
		Assigned float64 `json:"assigned_mg_dl"`
	}) (map[string]any, error) {
		r, err := photometer.Recovery(g.Found, g.Assigned)
		return map[string]any{"recovery_percent": r}, err
	}),
	"effective-level": of(func(g struct {
		Multiple float64 `json:"sample_multiple"`
		Reagent  float64 `json:"reagent_volume_ul"`
		Sample   float64 `json:"sample_volume_ul"`
	}) (map[string]any, error) {
		l, err := photometer.EffectiveLevel(g.Multiple, g.Reagent, g.Sample)
		return map[string]any{"effective_level": l}, err
	}),
}

var intervalKinds = map[string]topic{
	"reliability": of(func(g struct {
		Records []interval.Record `json:"records"`
		Target  float64           `json:"target_reliability"`
	}) (map[string]any, error) {
		r, err := interval.Reliable(g.Records, g.Target)
		return map[string]any{"theta_days": r.Theta, "interval_days": r.Days}, err
	}),
	"drift": of(func(g struct {
		Days      []float64 `json:"days"`
		Errors    []float64 `json:"as_found_error"`
		Tolerance float64   `json:"tolerance"`
	}) (map[string]any, error) {
		day, reached, err := interval.DriftTo(g.Days, g.Errors, g.Tolerance)
		out := map[string]any{"first_day_exceeding": nil}
		if reached {
			out["first_day_exceeding"] = float64(day)
		}
		return out, err
	}),
}
