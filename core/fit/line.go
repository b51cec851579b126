// Package fit lays lines through points and takes errors apart.
package fit

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"
)

// Line is the least-squares line of y on x with its statistics. Standard
// uncertainties and p values are 0 and 1 where two points leave no degree of freedom.
type Line struct {
	N                int
	Intercept, Slope float64
	UIntercept       float64
	USlope           float64
	ResidualSD       float64 // n − 2 degrees of freedom
	RSquared         float64
	PInterceptZero   float64 // two-sided, of the intercept against 0
	PSlopeOne        float64 // two-sided, of the slope against 1
	meanX, sxx       float64
}

// LinearRegression fits y = Intercept + Slope·x. It needs two points at different x, all
// finite. ISO 11095; JCGM 100 H.3.
func LinearRegression(x, y []float64) (Line, error) {
	n := len(x)
	if n != len(y) {
		return Line{}, fmt.Errorf("there are %d x values and %d y values", n, len(y))
	}
	if n < 2 {
		return Line{}, fmt.Errorf("a line needs two points at least, there is %d", n)
	}
	for i := range x {
		if math.IsNaN(x[i]+y[i]) || math.IsInf(x[i]+y[i], 0) {
			return Line{}, fmt.Errorf("point %d is not a number", i+1)
		}
	}
	meanX, varianceX := stat.MeanVariance(x, nil)
	if varianceX == 0 {
		return Line{}, fmt.Errorf("all points are at the same level: a line needs two different ones")
	}
	l := Line{N: n, meanX: meanX, sxx: varianceX * float64(n-1), PInterceptZero: 1, PSlopeOne: 1, RSquared: 1}
	l.Intercept, l.Slope = stat.LinearRegression(x, y, nil, false)
	l.statistics(x, y, stat.Variance(y, nil)*float64(n-1))
	return l, nil
}

func (l *Line) statistics(x, y []float64, syy float64) {
	rss := 0.0
	for i := range x {
		r := y[i] - l.Intercept - l.Slope*x[i]
		rss += r * r
	}
	if syy > 0 {
		l.RSquared = 1 - rss/syy
	}
	if l.N < 3 {
		return
	}
	n := float64(l.N)
	l.ResidualSD = math.Sqrt(rss / (n - 2))
	l.USlope = l.ResidualSD / math.Sqrt(l.sxx)
	l.UIntercept = l.ResidualSD * math.Sqrt(1/n+l.meanX*l.meanX/l.sxx)
	l.PInterceptZero = twoSided(l.Intercept, l.UIntercept, n-2)
	l.PSlopeOne = twoSided(l.Slope-1, l.USlope, n-2)
}

func twoSided(value, u, dof float64) float64 {
	if u == 0 {
		if value == 0 {
			return 1
		}
		return 0
	}
	return 2 * distuv.StudentsT{Mu: 0, Sigma: 1, Nu: dof}.Survival(math.Abs(value/u))
}

// At is the line's value at x.
func (l Line) At(x float64) float64 { return l.Intercept + l.Slope*x }

// Predict gives the two-sided 95 % prediction interval at x; it needs three points.
func (l Line) Predict(x float64) (low, high float64, err error) {
	if l.N < 3 {
		return 0, 0, fmt.Errorf("a prediction interval needs three points at least, there are %d", l.N)
	}
	t := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: float64(l.N - 2)}.Quantile(0.975)
	half := t * l.PredictionSD(x)
	return l.At(x) - half, l.At(x) + half, nil
}

// PredictionSD is the standard deviation of a new observation at x about the line.
func (l Line) PredictionSD(x float64) float64 {
	return l.ResidualSD * math.Sqrt(1+1/float64(l.N)+(x-l.meanX)*(x-l.meanX)/l.sxx)
}

// ThroughOrigin is the slope of the least-squares line through the origin, Σxy/Σx².
func ThroughOrigin(x, y []float64) (float64, error) {
	var sxy, sxx float64
	if len(x) != len(y) {
		return 0, fmt.Errorf("there are %d x values and %d y values", len(x), len(y))
	}
	for i := range x {
		sxy += x[i] * y[i]
		sxx += x[i] * x[i]
	}
	if !(sxx > 0) || math.IsInf(sxx, 0) || math.IsNaN(sxy) {
		return 0, fmt.Errorf("a line through the origin needs a point away from it")
	}
	return sxy / sxx, nil
}
