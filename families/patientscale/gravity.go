package patientscale

import (
	"fmt"
	"math"
)

// Spot is a place on the earth: latitude in degrees (−90 to 90) and height in metres (−500 to 9000).
type Spot struct {
	LatitudeDeg float64 `json:"latitude_deg"`
	HeightM     float64 `json:"height_m"`
}

// Gravity is the acceleration of free fall in m/s² there. GRS 1980 with the free-air
// correction; OIML R 76-1 practice.
func (s Spot) Gravity() (float64, error) {
	if !(math.Abs(s.LatitudeDeg) <= 90) || !(s.HeightM >= -500 && s.HeightM <= 9000) {
		return 0, fmt.Errorf("latitude %g° and height %g m are no place for a scale: use −90 to 90° and −500 to 9000 m",
			s.LatitudeDeg, s.HeightM)
	}
	phi := s.LatitudeDeg * math.Pi / 180
	one, two := math.Sin(phi), math.Sin(2*phi)
	return 9.780327*(1+0.0053024*one*one-0.0000058*two*two) - 3.086e-6*s.HeightM, nil
}

// Moved is by how much, in percent, a scale adjusted at one place reads differently at another.
func Moved(adjusted, used Spot) (float64, error) {
	a, err := adjusted.Gravity()
	if err != nil {
		return 0, err
	}
	b, err := used.Gravity()
	return 100 * (b/a - 1), err
}
