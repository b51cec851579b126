// Package uncertainty combines what is known about a measurement's uncertainty,
// in the manner of JCGM 100 (GUM).
package uncertainty

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"
)

// Distribution says how a term's half-width becomes a standard uncertainty.
type Distribution string

const (
	Normal      Distribution = "normal"      // expanded uncertainty U over its k
	Rectangular Distribution = "rectangular" // half-width over √3
	Triangular  Distribution = "triangular"  // half-width over √6
	UShaped     Distribution = "u-shaped"    // half-width over √2
)

// Coverage is what an expanded uncertainty covers unless something else is stated:
// two standard deviations of a normal distribution, 95.45 %.
const Coverage = 0.9545

// Term is one contribution. Width is U for a normal term and the half-width
// otherwise, in the unit of the input, not negative. K matters for normal terms
// (0 means 1). Sensitivity turns the input's unit into the result's (nil means 1;
// zero is an input that the result does not hang on).
// DOF is the degrees of freedom (0 means infinite).
type Term struct {
	Name         string       `json:"name"`
	Distribution Distribution `json:"distribution"`
	Width        float64      `json:"width"`
	K            float64      `json:"k,omitempty"`
	Sensitivity  *float64     `json:"sensitivity,omitempty"`
	DOF          float64      `json:"dof,omitempty"`
}

// Standard is the term's standard uncertainty, in the unit of its input.
func (t Term) Standard() (float64, error) {
	if !(t.Width >= 0) || math.IsInf(t.Width, 0) {
		return 0, fmt.Errorf("%s: the uncertainty must be a number not below zero, it is %g", t.Name, t.Width)
	}
	switch t.Distribution {
	case Normal:
		if t.K == 0 {
			return t.Width, nil
		}
		if !(t.K > 0) || math.IsInf(t.K, 0) {
			return 0, fmt.Errorf("%s: the coverage factor k must be above zero, it is %g", t.Name, t.K)
		}
		return t.Width / t.K, nil
	case Rectangular:
		return t.Width / math.Sqrt(3), nil
	case Triangular:
		return t.Width / math.Sqrt(6), nil
	case UShaped:
		return t.Width / math.Sqrt2, nil
	}
	return 0, fmt.Errorf("%s: the distribution %q is not known", t.Name, t.Distribution)
}

func (t Term) sensitivity() float64 {
	if t.Sensitivity == nil {
		return 1
	}
	return *t.Sensitivity
}

// Line is a term as a row of the budget table.
type Line struct {
	Term
	StandardUncertainty float64 `json:"standard_uncertainty"`
	Contribution        float64 `json:"contribution"` // |c|·u, in the unit of the result
	Share               float64 `json:"share"`        // of the combined variance, 0 to 1
}

// Budget is the combined result, in the unit of the measurement. EffectiveDOF is 0 where it is infinite.
type Budget struct {
	Lines        []Line  `json:"lines"`
	Combined     float64 `json:"combined"`
	EffectiveDOF float64 `json:"effective_dof,omitempty"`
	K            float64 `json:"k"`
	Expanded     float64 `json:"expanded"`
	Coverage     float64 `json:"coverage"`
}

// Correlation says that two terms, by their place in the list, vary together:
// Coefficient from −1 to 1.
type Correlation struct {
	A           int     `json:"a"`
	B           int     `json:"b"`
	Coefficient float64 `json:"coefficient"`
}

// Combine is [CombineCorrelated] for terms that know nothing of each other, at
// 95.45 % coverage.
func Combine(terms ...Term) (Budget, error) { return CombineCorrelated(terms, nil, Coverage) }

// CombineCorrelated adds the terms in quadrature, with what varies together counted
// together, finds the effective degrees of freedom (Welch and Satterthwaite) and
// expands to the stated two-sided coverage (above 0, below 1): k is Student's t for
// the effective degrees of freedom truncated to a whole number (at least 1), or the
// normal quantile where they are infinite (exactly 2 for 95.45 %). JCGM 100:2008,
// 4.3, 5.1, 5.2 and G.4. An empty budget is an error, since an uncertainty of zero is
// never true.
func CombineCorrelated(terms []Term, together []Correlation, coverage float64) (Budget, error) {
	switch {
	case len(terms) == 0:
		return Budget{}, fmt.Errorf("the budget has no term: at least the reference's uncertainty is needed")
	case !(coverage > 0 && coverage < 1):
		return Budget{}, fmt.Errorf("the coverage must lie between 0 and 1, it is %g", coverage)
	}
	budget := Budget{Lines: make([]Line, len(terms)), Coverage: coverage}
	variance, slip := 0.0, 0.0
	for i, term := range terms {
		u, err := term.Standard()
		switch {
		case err != nil:
			return Budget{}, err
		case term.DOF < 0 || math.IsNaN(term.DOF):
			return Budget{}, fmt.Errorf("%s: degrees of freedom must be above zero, they are %g", term.Name, term.DOF)
		case math.IsNaN(term.sensitivity()) || math.IsInf(term.sensitivity(), 0):
			return Budget{}, fmt.Errorf("%s: the sensitivity is not a number", term.Name)
		}
		part := math.Abs(term.sensitivity()) * u
		budget.Lines[i] = Line{Term: term, StandardUncertainty: u, Contribution: part}
		variance += part * part
		if term.DOF > 0 && !math.IsInf(term.DOF, 1) {
			slip += math.Pow(part, 4) / term.DOF
		}
	}
	extra, err := covariance(budget.Lines, together)
	if err != nil {
		return Budget{}, err
	}
	for i := range budget.Lines {
		if variance > 0 {
			budget.Lines[i].Share = budget.Lines[i].Contribution * budget.Lines[i].Contribution / variance
		}
	}
	variance = math.Max(0, variance+extra)
	budget.Combined = math.Sqrt(variance)
	if slip > 0 {
		budget.EffectiveDOF = variance * variance / slip
	}
	budget.K = coverageFactor(coverage, budget.EffectiveDOF)
	budget.Expanded = budget.K * budget.Combined
	return budget, nil
}

// covariance is what terms that vary together add to the variance, or take from it.
func covariance(lines []Line, together []Correlation) (sum float64, _ error) {
	for _, c := range together {
		switch {
		case c.A < 0 || c.B < 0 || c.A >= len(lines) || c.B >= len(lines) || c.A == c.B:
			return 0, fmt.Errorf("a correlation names two different terms of the budget; %d and %d are not", c.A+1,
				c.B+1)
		case !(c.Coefficient >= -1 && c.Coefficient <= 1):
			return 0, fmt.Errorf("the correlation of %s and %s must lie from -1 to 1, it is %g", lines[c.A].Name,
				lines[c.B].Name, c.Coefficient)
		}
		a, b := lines[c.A], lines[c.B]
		sum += 2 * c.Coefficient * a.sensitivity() * a.StandardUncertainty * b.sensitivity() * b.StandardUncertainty
	}
	return sum, nil
}

// coverageFactor is k for a two-sided coverage; dof 0 means infinite.
func coverageFactor(coverage, dof float64) float64 {
	quantile := (1 + coverage) / 2
	if dof == 0 {
		if coverage == Coverage {
			return 2
		}
		return distuv.UnitNormal.Quantile(quantile)
	}
	whole := math.Max(1, math.Floor(dof*(1+1e-9)))
	if coverage == Coverage && whole < float64(len(usual)) {
		return usual[int(whole)]
	}
	if whole > 100 {
		return manyDegrees(distuv.UnitNormal.Quantile(quantile), whole)
	}
	return distuv.StudentsT{Mu: 0, Sigma: 1, Nu: whole}.Quantile(quantile)
}

// manyDegrees is Student's quantile from the normal one, for a hundred degrees of
// freedom and more, to eight digits. Abramowitz and Stegun, 26.7.5.
func manyDegrees(z, dof float64) float64 {
	z2 := z * z
	return z * (1 + (z2+1)/(4*dof) + ((5*z2+16)*z2+3)/(96*dof*dof) + (((3*z2+19)*z2+17)*z2-15)/(384*dof*dof*dof))
}

// usual are the factors for 95.45 % by degrees of freedom: a run asks for them again and again.
var usual = func() (k [101]float64) {
	for dof := 1; dof < len(k); dof++ {
		k[dof] = distuv.StudentsT{Mu: 0, Sigma: 1, Nu: float64(dof)}.Quantile((1 + Coverage) / 2)
	}
	return k
}()

// Drift is the term for a reference that may have moved since its certificate: a
// half-width a year (not negative), over some years, rectangular.
func Drift(name string, perYear, years float64) Term {
	return Term{Name: name, Distribution: Rectangular, Width: perYear * math.Max(0, years)}
}

// Resolution is the term for a display that steps by the given amount.
func Resolution(name string, step float64) Term {
	return Term{Name: name, Distribution: Rectangular, Width: step / 2}
}

// Repeatability is the term for the mean of repeated readings: s/√n with n−1
// degrees of freedom. It has no meaning for fewer than two readings, and says so.
func Repeatability(readings []float64) (Term, bool) {
	n := float64(len(readings))
	if n < 2 {
		return Term{}, false
	}
	return Term{
		Name:         "Repeatability of the readings",
		Distribution: Normal,
		Width:        stat.StdErr(stat.StdDev(readings, nil), n),
		K:            1,
		DOF:          n - 1,
	}, true
}
