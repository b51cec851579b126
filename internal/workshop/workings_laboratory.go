package workshop

import (
	"fmt"

	"northneedle/core/economics"
	"northneedle/core/fit"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/reference"
	"northneedle/families/infusionpump"
	"northneedle/families/patientscale"
	"northneedle/families/photometer"
)

// WeighingInput is two readings of a balance, and what the pump was set to.
type WeighingInput struct {
	StartG      float64 `json:"start_g"`
	EndG        float64 `json:"end_g"`
	Minutes     float64 `json:"minutes"`
	Evaporation float64 `json:"evaporation_g_h,omitempty" doc:"measured with the pump stopped"`
	Water       float64 `json:"water_c"`
	Air         float64 `json:"air_c"`
	Pressure    float64 `json:"pressure_hpa"`
	Humidity    float64 `json:"humidity_percent"`
	Set         float64 `json:"set_ml_h,omitempty"`
}

// WeighingWorking is the volume and flow that follow.
type WeighingWorking struct {
	Explained
	VolumeML float64  `json:"volume_ml"`
	FlowMLH  float64  `json:"flow_ml_h"`
	PerGram  float64  `json:"ml_per_g"`
	Error    *float64 `json:"error_percent,omitempty" doc:"delivered against set"`
	Factor   *float64 `json:"factor,omitempty" doc:"of the set, to be multiplied by"`
}

// ComputeWeighing is the volume of a weighed liquid, with its uncertainty.
func ComputeWeighing(in WeighingInput) (out WeighingWorking, err error) {
	w := infusionpump.Weighing{
		MassStartG:         in.StartG,
		MassEndG:           in.EndG,
		Minutes:            in.Minutes,
		EvaporationGPerMin: in.Evaporation / 60,
		WaterTemperatureC:  in.Water,
		AirTemperatureC:    in.Air,
		PressureHPa:        in.Pressure,
		HumidityPercent:    in.Humidity,
	}
	d, err := w.Delivered()
	if err != nil {
		return out, invalid("minutes", Sentence(err))
	}
	if d.MassG <= 0 {
		return out, invalid("end_g", "Nothing was delivered: the second reading is not above the first.")
	}
	out.VolumeML, out.FlowMLH, out.PerGram = d.VolumeML, d.FlowMLH, d.VolumeML/d.MassG
	if in.Set > 0 {
		e, err := infusionpump.PercentError(d.FlowMLH, in.Set)
		if err != nil {
			return out, invalid("set_ml_h", Sentence(err))
		}
		factor := in.Set / d.FlowMLH
		out.Error, out.Factor = &e, &factor
	}
	out.Formula = fmt.Sprintf("V = Δm · (1 − ρair ÷ 8000) ÷ (ρwater − ρair) = %.4f g · %.5f mL/g", d.MassG, out.PerGram)
	out.Source = "ISO 4787; ISO 8655-6; density of water by Tanaka et al., Metrologia 38 (2001) 301; of air by CIPM-2007, simplified"
	return out, nil
}

// WeightsInput is a kit, and a load wanted on a scale.
type WeightsInput struct {
	Pieces   string  `json:"pieces" maxLength:"2000" doc:"masses in kg"`
	Target   float64 `json:"target_kg" minimum:"0"`
	Capacity float64 `json:"capacity_kg" minimum:"0"`
	Division float64 `json:"division_kg"`
}

// SchoolLimit is what one school allows.
type SchoolLimit struct {
	Title string  `json:"title"`
	Limit float64 `json:"limit_kg"`
}

// WeightsWorking is what to load, and how far off the scale may be there.
type WeightsWorking struct {
	Explained
	Do        string        `json:"do"`
	Load      float64       `json:"load_kg"`
	LoadLb    float64       `json:"load_lb"`
	Divisions float64       `json:"divisions"`
	Share     float64       `json:"share" doc:"of the capacity, percent"`
	Limits    []SchoolLimit `json:"limits"`
}

// CombineWeights is a load put together of weights of a kit.
func CombineWeights(in WeightsInput) (out WeightsWorking, err error) {
	rows, err := quantity.ParseTable(in.Pieces, 1)
	if err != nil {
		return out, invalid("pieces", Sentence(err))
	}
	var kit []reference.Certified
	for _, row := range rows {
		for _, kg := range row {
			kit = append(kit, reference.Certified{
				Quantity: "mass",
				Piece:    fmt.Sprintf("%g kg", kg),
				Value:    kg,
				Unit:     "kg",
				U:        1e-6 + 1.6e-5*kg,
				K:        2,
			})
		}
	}
	found, err := patientscale.Catalogue.Methods["weights"].Evaluate(procedure.Input{Target: in.Target, Unit: "kg",
		Shown: "kg", Certified: kit})
	if err != nil {
		return out, invalid("pieces", Sentence(err))
	}
	out.Do, out.Load = found.Do, found.Reference
	if out.LoadLb, err = quantity.Convert(out.Load, "kg", "[lb_av]"); err != nil {
		return out, err
	}
	for _, school := range []struct {
		title string
		of    patientscale.Regime
	}{{"OIML R 76, first verification", patientscale.R76Initial}, {"OIML R 76, in service", patientscale.R76InService},
		{"Handbook 44, acceptance", patientscale.HB44Acceptance},
		{"Handbook 44, maintenance", patientscale.HB44Maintenance}} {
		limit, err := patientscale.ScaleLimit(school.of, found.LimitBase, in.Division)
		if err != nil {
			return out, invalid("division_kg", Sentence(err))
		}
		out.Limits = append(out.Limits, SchoolLimit{school.title, limit})
	}
	out.Divisions, _ = patientscale.Divisions(found.LimitBase, in.Division) // in range: the limits were computed with it
	if in.Capacity > 0 {
		out.Share = 100 * out.Load / in.Capacity
	}
	out.Formula = fmt.Sprintf("n = load ÷ division = %.6g ÷ %g = %.6g", out.Load, in.Division, out.Divisions)
	out.Source = "OIML R 76-1:2006, table 6; NIST Handbook 44, 2.20, table 6; class III"
	return out, nil
}

// DilutionInput is a calibrator, the usual volumes, and the pipettes there are.
type DilutionInput struct {
	Assigned  float64 `json:"assigned"`
	Reagent   float64 `json:"reagent_ul"`
	Sample    float64 `json:"sample_ul"`
	Tolerance float64 `json:"tolerance_percent"`
	Multiples string  `json:"multiples" maxLength:"200"`
	Pipettes  string  `json:"pipettes" maxLength:"2000" doc:"a line a pipette: smallest and largest volume, and U (k = 2), in µL"`
}

// DilutionWorking is the plan.
type DilutionWorking struct {
	Explained
	Plan []photometer.Cuvette `json:"plan"`
}

// ComputeDilution is a series of dilutions with what each is uncertain by.
func ComputeDilution(in DilutionInput) (out DilutionWorking, err error) {
	levels, err := quantity.ParseTable(in.Multiples, 1)
	if err != nil {
		return out, invalid("multiples", Sentence(err))
	}
	var multiples []float64
	for _, row := range levels {
		multiples = append(multiples, row...)
	}
	rows, err := quantity.ParseTable(in.Pipettes, 3)
	if err != nil {
		return out, invalid("pipettes", Sentence(err))
	}
	var pipettes []photometer.Pipette
	for _, row := range rows {
		pipettes = append(pipettes, photometer.Pipette{
			Tag:  fmt.Sprintf("%g–%g µL", row[0], row[1]),
			From: row[0],
			To:   row[1],
			U:    row[2],
		})
	}
	if out.Plan, err = photometer.DilutionPlan(in.Assigned, in.Reagent, in.Sample, in.Tolerance, multiples,
		pipettes); err != nil {
		return out, invalid("multiples", Sentence(err))
	}
	out.Formula = "level = assigned · k·(R + v) ÷ (R + k·v);  u² = (R ÷ (R + k·v) · u(k·v) ÷ k·v)² + (u(R) ÷ (R + k·v))²"
	out.Source = "Conservation of mass; ISO 8655-2; JCGM 100:2008"
	return out, nil
}

// ConcentrationInput is a concentration in one unit.
type ConcentrationInput struct {
	Value   float64 `json:"value"`
	From    string  `json:"from" maxLength:"20"`
	To      string  `json:"to" maxLength:"20"`
	Analyte string  `json:"analyte" maxLength:"60"`
}

// ConcentrationWorking is it in another.
type ConcentrationWorking struct {
	Explained
	Result   float64  `json:"result"`
	Unit     string   `json:"unit"`
	Analytes []string `json:"analytes"`
}

// ComputeConcentration is the concentration of a solution that was weighed in.
func ComputeConcentration(in ConcentrationInput) (out ConcentrationWorking, err error) {
	if out.Result, err = quantity.Concentration(in.Value, in.From, in.To, in.Analyte); err != nil {
		return out, invalid("analyte", Sentence(err))
	}
	molar, err := quantity.MolarMass(in.Analyte)
	if err != nil {
		return out, invalid("analyte", Sentence(err))
	}
	out.Unit, out.Analytes = quantity.ShowUnit(in.To), quantity.Analytes()
	out.Formula = fmt.Sprintf("c = ρ ÷ M, M = %g g/mol", molar)
	out.Source = "Standard atomic weights, IUPAC 2021"
	return out, nil
}

// ComparisonInput is pairs of results of two methods.
type ComparisonInput struct {
	Text  string  `json:"text" maxLength:"100000" doc:"a line a sample: reference method, method under test"`
	Ratio float64 `json:"ratio,omitempty" doc:"variance of the method under test over that of the reference; left out: 1"`
}

// ComparisonWorking is how one method goes with the other.
type ComparisonWorking struct {
	Explained
	fit.Comparison
	Words string `json:"words"`
}

// CompareMethods lays a line through what two methods gave of the same samples.
func CompareMethods(in ComparisonInput) (out ComparisonWorking, err error) {
	rows, err := quantity.ParseTable(in.Text, 2)
	if err != nil {
		return out, invalid("text", Sentence(err))
	}
	var x, y []float64
	for _, row := range rows {
		x, y = append(x, row[0]), append(y, row[1])
	}
	if in.Ratio == 0 {
		in.Ratio = 1
	}
	if out.Comparison, err = fit.DemingRegression(x, y, in.Ratio); err != nil {
		return out, invalid("text", Sentence(err))
	}
	switch c := out.Comparison; {
	case c.SlopeDiffers && c.OffsetDiffers:
		out.Words = fmt.Sprintf("Both a factor and an offset: corrected = (found − %.3g) ÷ %.4g.", c.Intercept, c.Slope)
	case c.SlopeDiffers:
		out.Words = fmt.Sprintf("A factor: divide what was found by %.4g.", c.Slope)
	case c.OffsetDiffers:
		out.Words = fmt.Sprintf("An offset: take %.3g off what was found.", c.Intercept)
	default:
		out.Words = "No difference stands out from the scatter: correct nothing."
	}
	out.Formula = "slope = (Syy − λ·Sxx + √((Syy − λ·Sxx)² + 4·λ·Sxy²)) ÷ (2·Sxy);  95 % intervals by the jackknife"
	out.Source = "Deming regression: Cornbleet and Gochman 1979; Linnet 1990; CLSI EP09"
	return out, nil
}

// EconomicsWorking is what to do with a device.
type EconomicsWorking struct {
	Explained
	economics.Weighed
}

// ComputeEconomics is what each way of having it done costs a year.
func ComputeEconomics(in economics.Case) (out EconomicsWorking, err error) {
	if out.Weighed, err = economics.Weigh(in); err != nil {
		return out, invalid("use", Sentence(err))
	}
	out.Formula = "yearly = calibrations · price + failures · repair + price of the next ÷ years until it has served;  new: price ÷ its life, a quarter of the failures"
	out.Source = "ISO/IEC 17025 and ILAC-P10 on when an accredited calibration is needed; straight-line cost"
	return out, nil
}
