package economics

import "fmt"

// Record is what is known of a device from its own history.
type Record struct {
	Risk     int     // 1 to 5
	Compares bool    // others are compared with it
	Days     int     // between its calibrations; 0: not by the calendar
	TUR      float64 // smallest ratio of limit to the reference's U in its last run; 0: not measured
	At       string  // the point of that ratio
	LeastTUR float64 // the lab's
	Failures int     // failed runs, repairs and falls
	Years    float64 // that its record covers
	Hours    float64 // of hands that one run takes: an estimate
	Hour     float64 // price of one; 0: not priced
	Outside  float64 // price of an accredited certificate; 0: not priced
	Paid     float64 // for the device, when it was bought; 0: not known
}

// Filled is a field of a [Case] that a record fills in, and from what.
type Filled struct {
	Field string `json:"field"`
	From  string `json:"from"`
}

// Case is what the record fills in of a case, field by field. What is not named is left at
// 0: a person fills it in.
func (r Record) Case() (Case, []Filled) {
	c := Case{Use: Decision, LeastTUR: r.LeastTUR}
	from := []Filled{{"least_tur", fmt.Sprintf("The lab wants a ratio of %g.", r.LeastTUR)}}
	say := func(field, format string, args ...any) {
		from = append(from, Filled{field, fmt.Sprintf(format, args...)})
	}
	switch {
	case r.Compares:
		c.Use = Reference
		say("use", "Others are compared with it: a reference.")
	case r.Risk <= 1:
		c.Use = Indication
		say("use", "Its risk is %d: taken as an indication only; say so if a diagnosis follows from it.", r.Risk)
	default:
		say("use", "Its risk is %d: taken as something that a diagnosis or a treatment follows from.", r.Risk)
	}
	if r.Days > 0 {
		c.PerYear = 365.25 / float64(r.Days)
		say("per_year", "It is calibrated every %d days: %.2g a year.", r.Days, c.PerYear)
	}
	if r.TUR > 0 {
		c.TUR = r.TUR
		say("tur", "The limit is at least %.1f times the reference's U: least at %s, in its last run.", r.TUR, r.At)
	}
	if r.Years >= 0.5 {
		c.Failures = float64(r.Failures) / r.Years
		say("failures", "%d failed runs, repairs or falls in %.1f years: %.2g a year.", r.Failures, r.Years, c.Failures)
	}
	if r.Hours > 0 && r.Hour > 0 {
		c.InHouse = r.Hours * r.Hour
		say("in_house", "A run takes about %.1f hours of hands (an estimate), at %g an hour.", r.Hours, r.Hour)
	}
	if r.Outside > 0 {
		c.Accredited = r.Outside
		say("accredited", "An accredited certificate costs %g by the lab's prices.", r.Outside)
	}
	if r.Paid > 0 {
		c.Replacement = r.Paid
		say("replacement", "It was bought for %g: look what a new one costs today.", r.Paid)
	}
	return c, from
}
