package signal

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/dsp/fourier"
	"gonum.org/v1/gonum/mat"
)

// Tone is what a sampled tone holds: its fundamental and its harmonics.
type Tone struct {
	Frequency  float64   `json:"frequency_hz"`
	Amplitude  float64   `json:"amplitude"`   // of the fundamental, peak, in the samples' unit
	Harmonics  []float64 `json:"harmonics"`   // amplitudes of the second, third … up to half the sample rate, at most the tenth
	Distortion float64   `json:"thd_percent"` // total harmonic distortion
	RMS        float64   `json:"rms"`         // of the fundamental
}

// AnalyseTone finds the tone that leads in samples taken at rate per second: its
// frequency by a parabola through the peak of a windowed spectrum, refined by least
// squares, and the amplitudes of it and its harmonics by least squares on sines and
// cosines. At least 64 samples, holding three periods, are needed. IEEE Std 1057.
func AnalyseTone(samples []float64, rate float64) (Tone, error) {
	n := len(samples)
	if n < 64 || !(rate > 0) || math.IsInf(rate, 0) {
		return Tone{}, fmt.Errorf("a tone needs 64 samples at least and a sample rate above zero; there are %d at %g a second", n, rate)
	}
	mean := 0.0
	for i, v := range samples {
		if math.IsNaN(v) || math.IsInf(v, 0) {
			return Tone{}, fmt.Errorf("sample %d is not a number", i+1)
		}
		mean += v / float64(n)
	}
	windowed := make([]float64, n)
	for i, v := range samples {
		windowed[i] = (v - mean) * (0.5 - 0.5*math.Cos(2*math.Pi*float64(i)/float64(n)))
	}
	spectrum := fourier.NewFFT(n).Coefficients(nil, windowed)
	power := func(k int) float64 {
		re, im := real(spectrum[k]), imag(spectrum[k])
		return math.Log(re*re + im*im + 1e-300)
	}
	best := 2
	for k := 2; k < len(spectrum)-1; k++ {
		if power(k) > power(best) {
			best = k
		}
	}
	if best < 3 || power(best) < -500 {
		return Tone{}, fmt.Errorf("no tone stands out, or the samples hold less than three periods of it")
	}
	a, b, c := power(best-1), power(best), power(best+1)
	shift := 0.0
	if bend := a - 2*b + c; bend < 0 {
		shift = 0.5 * (a - c) / bend
	}
	frequency := refine(samples, mean, rate, (float64(best)+shift)*rate/float64(n), rate/float64(n)/4)
	count := min(10, int(0.48*rate/frequency))
	amplitudes, _ := harmonics(samples, mean, rate, frequency, count)
	t := Tone{
		Frequency: frequency,
		Amplitude: amplitudes[0],
		RMS:       amplitudes[0] / math.Sqrt2,
		Harmonics: amplitudes[1:],
	}
	if len(amplitudes) > 1 {
		distortion, err := Distortion(amplitudes)
		if err != nil {
			return Tone{}, fmt.Errorf("no tone stands out")
		}
		t.Distortion = distortion
	}
	return t, nil
}

// refine narrows a frequency down to where the fundamental and its first harmonics leave the least.
func refine(samples []float64, mean, rate, start, span float64) float64 {
	const golden = 0.6180339887498949
	low, high := start-span, start+span
	count := min(3, max(1, int(0.48*rate/high)))
	left := func(f float64) float64 { _, rest := harmonics(samples, mean, rate, f, count); return rest }
	for range 30 {
		a, b := high-golden*(high-low), low+golden*(high-low)
		if left(a) < left(b) {
			high = b
		} else {
			low = a
		}
	}
	return (low + high) / 2
}

// harmonics are the amplitudes of a frequency and its multiples, by least squares on
// all their sines and cosines and a constant together, and the sum of squares left.
func harmonics(samples []float64, mean, rate, frequency float64, count int) (amplitudes []float64, rest float64) {
	n := 2*count + 1
	gram, right, row := make([]float64, n*n), make([]float64, n), make([]float64, n)
	yy := 0.0
	for i, v := range samples {
		y := v - mean
		yy += y * y
		row[0] = 1
		s, c := math.Sincos(2 * math.Pi * frequency / rate * float64(i))
		sh, ch := s, c
		for h := range count {
			row[1+2*h], row[2+2*h] = sh, ch
			sh, ch = sh*c+ch*s, ch*c-sh*s // the next multiple
		}
		for j := range n {
			right[j] += row[j] * y
			for k := 0; k <= j; k++ {
				gram[k*n+j] += row[j] * row[k] // the upper triangle
			}
		}
	}
	amplitudes = make([]float64, count)
	var cholesky mat.Cholesky
	x, b := mat.NewVecDense(n, nil), mat.NewVecDense(n, right)
	if !cholesky.Factorize(mat.NewSymDense(n, gram)) || cholesky.SolveVecTo(x, b) != nil {
		return amplitudes, yy
	}
	for h := range count {
		amplitudes[h] = math.Hypot(x.AtVec(1+2*h), x.AtVec(2+2*h))
	}
	return amplitudes, yy - mat.Dot(x, b)
}

// Distortion is the total harmonic distortion in percent of amplitudes, the first of
// which is the fundamental's. IEC 60645-1.
func Distortion(amplitudes []float64) (float64, error) {
	if len(amplitudes) < 2 || !(amplitudes[0] > 0) {
		return 0, fmt.Errorf("the distortion needs the fundamental, above zero, and one harmonic at least")
	}
	sum := 0.0
	for _, a := range amplitudes[1:] {
		sum += a * a
	}
	return 100 * math.Sqrt(sum) / amplitudes[0], nil
}
