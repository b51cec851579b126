package fit

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/mat"
)

// Polynomial is a curve laid through points by least squares. It is kept in a centred
// and scaled x, so that high levels do not lose digits.
type Polynomial struct {
	ResidualSD float64 // n − degree − 1 degrees of freedom; 0 where none is left

	scaled       []float64 // coefficients of ((x − centre) ÷ half)ʲ
	centre, half float64
}

// Fit lays a polynomial of degree 1 to 4 through points with weights (nil for equal
// ones; each above zero). It needs more points than its degree, at that many
// different x. ISO 11095.
func Fit(x, y, weights []float64, degree int) (Polynomial, error) {
	n := len(x)
	switch {
	case degree < 1 || degree > 4:
		return Polynomial{}, fmt.Errorf("the degree must be 1 to 4, it is %d", degree)
	case n != len(y) || weights != nil && len(weights) != n:
		return Polynomial{}, fmt.Errorf("there are %d x values, %d y values and %d weights", n, len(y), len(weights))
	case n < degree+1:
		return Polynomial{}, fmt.Errorf("a curve of degree %d needs %d points at least, there are %d", degree,
			degree+1, n)
	}
	low, high := math.Inf(1), math.Inf(-1)
	for i := range x {
		if math.IsNaN(x[i]+y[i]) || math.IsInf(x[i]+y[i], 0) {
			return Polynomial{}, fmt.Errorf("point %d is not a number", i+1)
		}
		if weights != nil && !(weights[i] > 0 && !math.IsInf(weights[i], 0)) {
			return Polynomial{}, fmt.Errorf("the weight of point %d must be above zero, it is %g", i+1, weights[i])
		}
		low, high = math.Min(low, x[i]), math.Max(high, x[i])
	}
	if low == high {
		return Polynomial{}, fmt.Errorf("all points are at the same level: a curve needs different ones")
	}
	centre, half := (low+high)/2, (high-low)/2
	a, b := mat.NewDense(n, degree+1, nil), mat.NewVecDense(n, nil)
	for i := range x {
		w := 1.0
		if weights != nil {
			w = math.Sqrt(weights[i])
		}
		t, power := (x[i]-centre)/half, w
		for j := range degree + 1 {
			a.Set(i, j, power)
			power *= t
		}
		b.SetVec(i, w*y[i])
	}
	var c mat.VecDense
	if err := c.SolveVec(a, b); err != nil {
		return Polynomial{}, fmt.Errorf("the points lie at too few different levels for a curve of degree %d", degree)
	}
	p := Polynomial{scaled: c.RawVector().Data, centre: centre, half: half}
	if rest := n - degree - 1; rest > 0 {
		sum := 0.0
		for i := range x {
			r := y[i] - p.At(x[i])
			sum += r * r
		}
		p.ResidualSD = math.Sqrt(sum / float64(rest))
	}
	return p, nil
}

// Coefficients are those of the powers of x: y = c[0] + c[1]·x + c[2]·x² …
func (p Polynomial) Coefficients() []float64 {
	out := make([]float64, len(p.scaled))
	power := []float64{1}
	for _, coefficient := range p.scaled {
		next := make([]float64, len(power)+1)
		for k, v := range power {
			out[k] += coefficient * v
			next[k] -= v * p.centre / p.half
			next[k+1] += v / p.half
		}
		power = next
	}
	return out
}

// At is the curve's value at x.
func (p Polynomial) At(x float64) (y float64) {
	t := (x - p.centre) / p.half
	for i := len(p.scaled) - 1; i >= 0; i-- {
		y = y*t + p.scaled[i]
	}
	return y
}

// Weighted lays a straight line with weights, each above zero: 1/u² for points of
// different uncertainty u. The result is [Line] with statistics about the weighted fit.
func WeightedRegression(x, y, weights []float64) (Line, error) {
	p, err := Fit(x, y, weights, 1)
	if err != nil {
		return Line{}, err
	}
	var w, wx, sxx float64
	for i := range x {
		w += weights[i]
		wx += weights[i] * x[i]
	}
	mean := wx / w
	var rss, syy, wy float64
	for i := range x {
		wy += weights[i] * y[i] / w
	}
	for i := range x {
		sxx += weights[i] * (x[i] - mean) * (x[i] - mean)
		syy += weights[i] * (y[i] - wy) * (y[i] - wy)
		r := y[i] - p.At(x[i])
		rss += weights[i] * r * r
	}
	c := p.Coefficients()
	l := Line{
		N:              len(x),
		Intercept:      c[0],
		Slope:          c[1],
		meanX:          mean,
		sxx:            sxx,
		PInterceptZero: 1,
		PSlopeOne:      1,
		RSquared:       1,
	}
	if syy > 0 {
		l.RSquared = 1 - rss/syy
	}
	if l.N > 2 {
		dof := float64(l.N - 2)
		l.ResidualSD = math.Sqrt(rss / dof)
		l.USlope = l.ResidualSD / math.Sqrt(sxx)
		l.UIntercept = l.ResidualSD * math.Sqrt(1/w+mean*mean/sxx)
		l.PInterceptZero = twoSided(l.Intercept, l.UIntercept, dof)
		l.PSlopeOne = twoSided(l.Slope-1, l.USlope, dof)
	}
	return l, nil
}
