package signal

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/dsp/fourier"
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
	t := Tone{Frequency: frequency}
	squares := 0.0
	for h := 1; h <= 10 && float64(h)*frequency < 0.48*rate; h++ {
		amplitude, _ := sine(samples, mean, rate, float64(h)*frequency)
		if h == 1 {
			t.Amplitude, t.RMS = amplitude, amplitude/math.Sqrt2
			continue
		}
		t.Harmonics = append(t.Harmonics, amplitude)
		squares += amplitude * amplitude
	}
	t.Distortion = 100 * math.Sqrt(squares) / t.Amplitude
	return t, nil
}

// refine narrows a frequency down to where a sine leaves the least.
func refine(samples []float64, mean, rate, start, span float64) float64 {
	const golden = 0.6180339887498949
	low, high := start-span, start+span
	left := func(f float64) float64 { _, rest := sine(samples, mean, rate, f); return rest }
	for range 40 {
		a, b := high-golden*(high-low), low+golden*(high-low)
		if left(a) < left(b) {
			high = b
		} else {
			low = a
		}
	}
	return (low + high) / 2
}

// sine is the amplitude of the least-squares sine of a frequency, and the sum of squares it leaves.
func sine(samples []float64, mean, rate, frequency float64) (amplitude, rest float64) {
	var ss, cc, sc, ys, yc, yy float64
	step := 2 * math.Pi * frequency / rate
	for i, v := range samples {
		s, c := math.Sincos(step * float64(i))
		y := v - mean
		ss, cc, sc, ys, yc, yy = ss+s*s, cc+c*c, sc+s*c, ys+y*s, yc+y*c, yy+y*y
	}
	d := ss*cc - sc*sc
	if d == 0 {
		return 0, yy
	}
	a, b := (ys*cc-yc*sc)/d, (yc*ss-ys*sc)/d
	return math.Hypot(a, b), yy - a*ys - b*yc
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
