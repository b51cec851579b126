package procedure

// Ambient is the recorded state of the room. UPressureHPa is the expanded
// uncertainty (k = 2) of the pressure.
type Ambient struct {
	TemperatureC    float64 `json:"temperature_c"`
	PressureHPa     float64 `json:"pressure_hpa"`
	HumidityPercent float64 `json:"humidity_percent"`
	UPressureHPa    float64 `json:"u_pressure_hpa,omitempty"`
	Source          string  `json:"source"`
	Instrument      string  `json:"instrument,omitempty"`  // tag of the reference it was read from
	Certificate     string  `json:"certificate,omitempty"` // of that, in words
	Recorded        bool    `json:"recorded"`
}
