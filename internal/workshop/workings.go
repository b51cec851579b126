package workshop

import (
	"fmt"
	"math"
	"slices"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/fit"
	"northneedle/core/gas"
	"northneedle/core/quantity"
	"northneedle/core/uncertainty"
	"northneedle/families/collectionbags"
)

// Explained is how a result was computed, and by what source.
type Explained struct {
	Formula string `json:"formula"`
	Source  string `json:"source"`
}

// NamedCondition is a gas condition by its name, with the room it refers to.
type NamedCondition struct {
	Name            string  `json:"name" enum:"ATP,ATPS,ATPD,BTPS,STPD,STPD20,STPD21,ATPD20,ATPD21"`
	TemperatureC    float64 `json:"temperature_c" doc:"of the room"`
	PressureHPa     float64 `json:"pressure_hpa" doc:"of the room"`
	HumidityPercent float64 `json:"humidity_percent" doc:"of the room"`
}

func (c NamedCondition) condition(field string) (gas.Condition, error) {
	named, err := gas.Named(c.Name, c.TemperatureC, c.PressureHPa, c.HumidityPercent/100)
	if err != nil {
		return named, invalid(field, Sentence(err))
	}
	return named, nil
}

// GasConversion is a volume or flow taken from one condition to another.
type GasConversion struct {
	Explained
	Factor     float64 `json:"factor"`
	Result     float64 `json:"result"`
	FromVapour float64 `json:"from_vapour_hpa" doc:"water vapour in the gas, before"`
	ToVapour   float64 `json:"to_vapour_hpa"`
	CO2Dry     float64 `json:"co2_dry_mmhg,omitempty" doc:"partial pressure of the given share of CO2 at the room's pressure"`
	CO2BTPS    float64 `json:"co2_btps_mmhg,omitempty" doc:"the same, with water vapour at 37 °C subtracted"`
}

// BudgetWorking is a combined budget.
type BudgetWorking struct {
	Explained
	uncertainty.Budget
}

// RuleWorking is what one decision rule says.
type RuleWorking struct {
	Kind    conformity.RuleKind `json:"kind"`
	Meaning string              `json:"meaning"`
	Passes  bool                `json:"passes"`
	Warning string              `json:"warning,omitempty"`
}

// ToleranceWorking is an error held against a tolerance.
type ToleranceWorking struct {
	Explained
	conformity.Assessment
	Low      *float64               `json:"low,omitempty"`
	High     *float64               `json:"high,omitempty"`
	Words    string                 `json:"words"`
	UToLimit float64                `json:"u_to_limit"`
	Rules    []RuleWorking          `json:"rules"`
	Risk     *conformity.GlobalRisk `json:"risk,omitempty" doc:"over a population of devices, where its spread is given"`
}

// AnatomyPoint is one pasted point.
type AnatomyPoint struct {
	Reference    float64         `json:"reference"`
	Shown        float64         `json:"shown"`
	Error        float64         `json:"error"`
	U            float64         `json:"u"`
	ErrorToLimit float64         `json:"error_to_limit"`
	UToLimit     float64         `json:"u_to_limit"`
	Zone         conformity.Zone `json:"zone"`
}

// AnatomyWorking is pasted points taken apart.
type ErrorComponentsWorking struct {
	Explained
	Points     []AnatomyPoint      `json:"points"`
	Components fit.ErrorComponents `json:"components"`
	Line       *LineWorking        `json:"line,omitempty" doc:"shown against reference, where two levels or more were pasted"`
	Advice     string              `json:"advice"`
}

// LineWorking is the straight line of shown on reference.
type LineWorking struct {
	Intercept  float64 `json:"intercept"`
	Slope      float64 `json:"slope"`
	UIntercept float64 `json:"u_intercept"`
	USlope     float64 `json:"u_slope"`
	RSquared   float64 `json:"r_squared"`
}

// CylinderWorking is what a cylinder holds and how long it lasts.
type CylinderWorking struct {
	Explained
	ContentL float64  `json:"content_l"`
	UsableL  float64  `json:"usable_l"`
	Minutes  *float64 `json:"minutes,omitempty"`
	LossL    *float64 `json:"loss_l,omitempty"`
}

// GasInput is a volume or flow, with the condition it is stated at and the one wanted.
type GasInput struct {
	Value      float64        `json:"value" doc:"a volume or a flow; the result is in the same unit"`
	From       NamedCondition `json:"from"`
	To         NamedCondition `json:"to"`
	CO2Percent *float64       `json:"co2_percent,omitempty" doc:"of dry gas; its partial pressure is wanted too"`
}

// ConvertGas says an amount of gas in every unit, under the conditions given.
func ConvertGas(in GasInput) (out GasConversion, err error) {
	from, err := in.From.condition("from")
	if err != nil {
		return out, err
	}
	to, err := in.To.condition("to")
	if err != nil {
		return out, err
	}
	if out.Factor, err = gas.Factor(from, to); err != nil {
		return out, invalid("from", Sentence(err))
	}
	out.Result = in.Value * out.Factor
	vapour := func(c gas.Condition) float64 {
		saturated, _ := gas.SaturationPressure(c.TemperatureC) // in range: the factor was computed with it
		return c.RelativeHumidity * saturated
	}
	out.FromVapour, out.ToVapour = vapour(from), vapour(to)
	if in.CO2Percent != nil {
		for _, basis := range []gas.Basis{gas.AmbientDry, gas.BodySaturated} {
			p, err := gas.PartialPressure(*in.CO2Percent, in.From.PressureHPa, basis)
			if err != nil {
				return out, invalid("co2_percent", Sentence(err))
			}
			if basis == gas.AmbientDry {
				out.CO2Dry = p / gas.MmHgHPa
			} else {
				out.CO2BTPS = p / gas.MmHgHPa
			}
		}
	}
	out.Formula = fmt.Sprintf("V₂ = V₁ · (P₁ − φ₁·pH₂O(t₁)) ÷ (P₂ − φ₂·pH₂O(t₂)) · T₂ ÷ T₁ = %.6g · (%.6g − %.4g) ÷ (%.6g − %.4g) · %.2f ÷ %.2f",
		in.Value, from.PressureHPa, out.FromVapour, to.PressureHPa, out.ToVapour, to.TemperatureC+273.15,
		from.TemperatureC+273.15)
	out.Source = "Ideal gas law; water vapour by Wagner and Pruss (IAPWS SR1-86); conventions of ISO 26782 and ISO 23747; CO₂ by Dalton’s law, ISO 80601-2-55"
	return out, nil
}

// BudgetInput is the terms of a budget.
type BudgetInput struct {
	Terms        []uncertainty.Term        `json:"terms" minItems:"1" maxItems:"60"`
	Correlations []uncertainty.Correlation `json:"correlations,omitempty" maxItems:"200"`
	Coverage     float64                   `json:"coverage,omitempty" doc:"two-sided, 0 to 1; left out: 0.9545"`
}

// ComputeBudget combines the parts of an uncertainty.
func ComputeBudget(in BudgetInput) (out BudgetWorking, err error) {
	if in.Coverage == 0 {
		in.Coverage = uncertainty.Coverage
	}
	if out.Budget, err = uncertainty.CombineCorrelated(in.Terms, in.Correlations, in.Coverage); err != nil {
		return out, invalid("terms", Sentence(err))
	}
	out.Formula = "u = √Σ(c·uᵢ)² + 2·Σ r·c·uᵢ·c·uⱼ;  νeff = u⁴ ÷ Σ((c·uᵢ)⁴ ÷ νᵢ);  U = k(νeff)·u"
	out.Source = "JCGM 100:2008 (GUM), 4.3, 5.1, 5.2 and G.4"
	return out, nil
}

// ToleranceInput is an error with its uncertainty, and the tolerance it is held against.
type ToleranceInput struct {
	Tolerance string  `json:"tolerance" maxLength:"400"`
	Reference float64 `json:"reference"`
	Error     float64 `json:"error"`
	U         float64 `json:"u" doc:"expanded"`
	K         float64 `json:"k"`
	Prior     float64 `json:"prior_sd,omitempty" doc:"spread of the true errors over the population"`
}

// ExpandTolerance is what a written tolerance allows at a value.
func ExpandTolerance(in ToleranceInput) (out ToleranceWorking, err error) {
	tolerance, err := conformity.ParseTolerance(in.Tolerance)
	if err != nil {
		return out, invalid("tolerance", Sentence(err))
	}
	limits, err := tolerance.Limits(in.Reference)
	if err != nil {
		return out, invalid("reference", Sentence(err))
	}
	if out.Assessment, err = conformity.Assess(in.Error, limits, in.U, in.K); err != nil {
		return out, invalid("u", Sentence(err))
	}
	out.Low, out.High = finite(limits.Low), finite(limits.High)
	out.Words = out.Zone.Words()
	if half := limits.HalfWidth(); half > 0 && !math.IsInf(half, 0) {
		out.UToLimit = in.U / half
	}
	for _, kind := range conformity.RuleKinds {
		r := conformity.Rule{Kind: kind}
		w := RuleWorking{Kind: kind, Meaning: r.Meaning()}
		w.Passes, w.Warning = r.Accepts(out.Assessment)
		out.Rules = append(out.Rules, w)
	}
	if in.Prior != 0 {
		risk, err := conformity.Global(in.Prior, in.U/in.K, limits, limits)
		if err != nil {
			return out, invalid("prior_sd", Sentence(err))
		}
		out.Risk = &risk
	}
	out.Formula = "TUR = half-width ÷ U;  probability = Φ((high − e) ÷ u) − Φ((low − e) ÷ u), u = U ÷ k"
	out.Source = "JCGM 106:2012, 7 to 9; ILAC-G8:09/2019"
	return out, nil
}

func finite(v float64) *float64 {
	if math.IsInf(v, 0) || math.IsNaN(v) {
		return nil
	}
	return &v
}

// CorrectionInput is volumes that were delivered and shown, and a later reading.
type CorrectionInput struct {
	Text    string  `json:"text" maxLength:"20000" doc:"a line a volume: delivered, shown"`
	Reading float64 `json:"reading" doc:"to be corrected"`
	U       float64 `json:"u,omitempty" minimum:"0" doc:"expanded uncertainty (k = 2) of the largest of the delivered volumes"`
}

// CorrectionWorking is a corrected reading.
type CorrectionWorking struct {
	Explained
	DeadSpace      float64 `json:"dead_space"`
	DeadSpaceFound bool    `json:"dead_space_found"`
	Gain           float64 `json:"gain"`
	GainFound      bool    `json:"gain_found"`
	Volume         float64 `json:"volume"`
	U              float64 `json:"u" doc:"expanded, for 95.45 %"`
}

// ApplyCorrection applies what a certificate says of a reading.
func ApplyCorrection(in CorrectionInput) (out CorrectionWorking, err error) {
	rows, err := quantity.ParseTable(in.Text, 2)
	if err != nil {
		return out, invalid("text", Sentence(err))
	}
	var delivered, shown []float64
	for _, row := range rows {
		delivered, shown = append(delivered, row[0]), append(shown, row[1])
	}
	c, err := collectionbags.MeterCorrection(delivered, shown)
	if err != nil {
		return out, invalid("text", Sentence(err))
	}
	out.DeadSpace, out.DeadSpaceFound, out.Gain, out.GainFound = c.DeadSpace(), c.DeadSpaceFound, c.Gain(), c.GainFound
	// The uncertainty of the delivered volumes is that of the largest of them, and grows with the volume: it is the syringe's.
	if out.Volume, out.U, err = c.Apply(in.Reading, in.U/2/slices.Max(delivered), 0); err != nil {
		return out, invalid("text", Sentence(err))
	}
	sign := "−"
	if c.DeadSpace() < 0 {
		sign = "+"
	}
	out.Formula = fmt.Sprintf("volume = (shown − dead space) ÷ gain = (%.6g %s %.4g) ÷ %.5g", in.Reading, sign,
		math.Abs(c.DeadSpace()),
		c.Gain())
	out.Source = "Straight line of shown on delivered, ISO 11095; U for 95.45 % by its degrees of freedom, JCGM 100 G.4"
	return out, nil
}

// AnatomyInput is points as they were pasted.
type ErrorComponentsInput struct {
	Text      string  `json:"text" maxLength:"500000" doc:"a line a point: reference, shown, and its expanded uncertainty where the points differ in it"`
	Tolerance string  `json:"tolerance" maxLength:"400"`
	U         float64 `json:"u,omitempty" doc:"expanded uncertainty (k = 2) of every point, where the lines have none"`
}

// DissectErrors takes the errors of readings apart into zero, span, curve and scatter.
func DecomposeErrors(in ErrorComponentsInput) (out ErrorComponentsWorking, err error) {
	tolerance, err := conformity.ParseTolerance(in.Tolerance)
	if err != nil {
		return out, invalid("tolerance", Sentence(err))
	}
	rows, err := quantity.ParseTable(in.Text, 2)
	if err != nil {
		return out, invalid("text", Sentence(err))
	}
	var errors []fit.PointError
	var points []adjust.Point
	var x, y []float64
	for i, row := range rows {
		p, limits, err := anatomyPoint(row, in.U, tolerance)
		if err != nil {
			return out, invalid("text", fmt.Sprintf("Point %d: %s.", i+1, err))
		}
		out.Points = append(out.Points, p)
		half := limits.HalfWidth()
		errors = append(errors, fit.PointError{Level: p.Reference, Error: p.Error, U: p.U / 2, Limit: half})
		points = append(points, adjust.Point{
			Label:        fmt.Sprintf("point %d", i+1),
			Level:        p.Reference,
			Error:        p.Error,
			ErrorToLimit: p.ErrorToLimit,
			Limit:        half,
			U:            p.U,
		})
		x, y = append(x, p.Reference), append(y, p.Shown)
	}
	if out.Components, err = fit.DecomposeErrors(errors); err != nil {
		return out, invalid("text", Sentence(err))
	}
	if line, err := fit.LinearRegression(x, y); err == nil {
		out.Line = &LineWorking{line.Intercept, line.Slope, line.UIntercept, line.USlope, line.RSquared}
	}
	advice, err := adjust.Advise(points, DefaultLab().Policy, nil, adjust.Tried{})
	if err != nil {
		return out, invalid("text", Sentence(err))
	}
	out.Advice = advice.Why
	out.Formula = "error = shown − reference; line weighted with 1/u²; a part counts when it is beyond twice its standard uncertainty"
	out.Source = "JCGM 100:2008 H.3; ISO 11095; JCGM 106:2012"
	return out, nil
}

func anatomyPoint(row []float64, u float64, tolerance conformity.Tolerance) (AnatomyPoint, conformity.Limits, error) {
	p := AnatomyPoint{Reference: row[0], Shown: row[1], Error: row[1] - row[0], U: u}
	if len(row) > 2 {
		p.U = row[2]
	}
	if !(p.U > 0) {
		return p, conformity.Limits{}, fmt.Errorf("the uncertainty must be above zero: give one for all, or a third column")
	}
	limits, err := tolerance.Limits(p.Reference)
	if err != nil {
		return p, limits, err
	}
	a, err := conformity.Assess(p.Error, limits, p.U, 2)
	if half := limits.HalfWidth(); half > 0 {
		p.UToLimit = p.U / half
	}
	p.Zone, p.ErrorToLimit = a.Zone, a.ErrorToLimit
	return p, limits, err
}

// CylinderInput is a cylinder with what is drawn from it.
type CylinderInput struct {
	gas.Cylinder
	FlowLMin float64  `json:"flow_l_min,omitempty" minimum:"0"`
	LaterBar *float64 `json:"later_gauge_bar,omitempty" minimum:"0" maximum:"400"`
	MeteredL float64  `json:"metered_l,omitempty" minimum:"0"`
}

// ComputeCylinder is how much gas a cylinder has left, and for how long.
func ComputeCylinder(in CylinderInput) (out CylinderWorking, err error) {
	c := in.Cylinder
	for field, v := range map[string]float64{"water_volume_l": c.WaterVolumeL, "gauge_bar": c.GaugeBar,
		"reserve_bar": c.ReserveBar} {
		if !(v >= 0 && v <= 1000) {
			return out, invalid(field, fmt.Sprintf("%s: %g is outside 0 to 1000.", field, v))
		}
	}
	out.ContentL, out.UsableL = c.Content(), c.Usable()
	if in.FlowLMin > 0 {
		minutes, err := c.Minutes(in.FlowLMin)
		if err != nil {
			return out, invalid("flow_l_min", Sentence(err))
		}
		out.Minutes = &minutes
	}
	if in.LaterBar != nil {
		loss := c.Loss(*in.LaterBar, in.MeteredL)
		out.LossL = &loss
	}
	out.Formula = "content = water volume · gauge ÷ 1.01325 bar;  minutes = usable ÷ flow;  lost = what left by the gauge − what was metered"
	out.Source = "Boyle’s law at constant temperature"
	return out, nil
}
