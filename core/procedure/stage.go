package procedure

// Stage says that a point can be read by hand as a stage: what an instrument shows before it, how long it lasts, and what
// the instrument shows after it. The reading is the difference by the hour.
type Stage struct {
	Shows string // what is read before and after: "Weight of the cup"
	Unit  string // UCUM, of both; the readings of the point are in this unit per hour
}

// StageReading is a stage that was read. Before and After are in the unit of its [Stage].
type StageReading struct {
	Before  float64 `json:"before"`
	After   float64 `json:"after"`
	Seconds float64 `json:"seconds"` // above zero
}

// PerHour is the difference by the hour.
func (s StageReading) PerHour() float64 { return (s.After - s.Before) / s.Seconds * 3600 }
