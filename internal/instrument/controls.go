package instrument

// Controls are the faults that can be switched on, and the keys of the device's own menu.
type Controls struct {
	Faults []Knob `json:"faults"` // SIMulate:FAULt CODE,ON or OFF
	Keys   []Knob `json:"keys"`   // SIMulate:PRESs CODE,steps
}

// Knob is one control, with its code and its label.
type Knob struct {
	Code string `json:"code"`
	Word string `json:"word"`
	On   bool   `json:"on,omitempty"`   // of a fault
	Once bool   `json:"once,omitempty"` // of a key: a routine, run and not pressed
}
