package fit

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"
)

// Comparison is two methods compared, both with errors: y = Intercept + Slope · x, with
// 95 % confidence intervals.
type Comparison struct {
	N             int        `json:"n"`
	Slope         float64    `json:"slope"`
	Intercept     float64    `json:"intercept"`
	SlopeCI       [2]float64 `json:"slope_ci"`
	InterceptCI   [2]float64 `json:"intercept_ci"`
	SlopeDiffers  bool       `json:"slope_differs"`  // from one
	OffsetDiffers bool       `json:"offset_differs"` // from nothing
}

// Deming fits a line where both methods scatter: ratio is the variance of y's error over
// that of x's, above zero (1 where they are alike). At least five pairs, not all of one x.
// The intervals come from the jackknife with Student's t for n − 2. Cornbleet and Gochman,
// Clin. Chem. 25 (1979) 432; Linnet, Clin. Chem. 36 (1990) 2009; CLSI EP09.
func DemingRegression(x, y []float64, ratio float64) (Comparison, error) {
	n := len(x)
	switch {
	case n != len(y):
		return Comparison{}, fmt.Errorf("there are %d values of one method and %d of the other", n, len(y))
	case n < 5:
		return Comparison{}, fmt.Errorf("a comparison needs five pairs at least, there are %d", n)
	case !(ratio > 0) || math.IsInf(ratio, 0):
		return Comparison{}, fmt.Errorf("the ratio of the variances must be above zero, it is %g", ratio)
	}
	slope, intercept, err := deming(x, y, ratio, -1)
	if err != nil {
		return Comparison{}, err
	}
	slopes, intercepts := make([]float64, n), make([]float64, n)
	for i := range x {
		s, c, err := deming(x, y, ratio, i)
		if err != nil {
			return Comparison{}, err
		}
		slopes[i], intercepts[i] = float64(n)*slope-float64(n-1)*s, float64(n)*intercept-float64(n-1)*c
	}
	t := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: float64(n - 2)}.Quantile(0.975)
	around := func(value float64, pseudo []float64) [2]float64 {
		half := t * stat.StdErr(stat.StdDev(pseudo, nil), float64(n))
		return [2]float64{value - half, value + half}
	}
	c := Comparison{
		N:           n,
		Slope:       slope,
		Intercept:   intercept,
		SlopeCI:     around(slope, slopes),
		InterceptCI: around(intercept, intercepts),
	}
	c.SlopeDiffers = c.SlopeCI[0] > 1 || c.SlopeCI[1] < 1
	c.OffsetDiffers = c.InterceptCI[0] > 0 || c.InterceptCI[1] < 0
	return c, nil
}

// deming is the fit without one pair; -1 leaves out none.
func deming(x, y []float64, ratio float64, without int) (slope, intercept float64, err error) {
	var n, mx, my float64
	for i := range x {
		if math.IsNaN(x[i]+y[i]) || math.IsInf(x[i]+y[i], 0) {
			return 0, 0, fmt.Errorf("pair %d is no pair of numbers", i+1)
		}
		if i != without {
			n, mx, my = n+1, mx+x[i], my+y[i]
		}
	}
	mx, my = mx/n, my/n
	var sxx, syy, sxy float64
	for i := range x {
		if i != without {
			sxx, syy, sxy = sxx+(x[i]-mx)*(x[i]-mx), syy+(y[i]-my)*(y[i]-my), sxy+(x[i]-mx)*(y[i]-my)
		}
	}
	if sxx == 0 || sxy == 0 {
		return 0, 0, fmt.Errorf("the two methods do not go along with each other at all: no line can be drawn")
	}
	d := syy - ratio*sxx
	slope = (d + math.Sqrt(d*d+4*ratio*sxy*sxy)) / (2 * sxy)
	return slope, my - slope*mx, nil
}
