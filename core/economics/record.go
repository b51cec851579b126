package economics

import "fmt"

// Record is what is known of a device from its own history.
type Record struct {
	Risk     int     // 1 to 5
	Compares bool    // others are compared with it
	Days     int     // between its calibrations; 0: not by the calendar
	TUR      float64 // smallest ratio that its last run reached; 0: not measured
	LeastTUR float64 // the lab's
	Failures int     // failed runs, repairs and falls
	Years    float64 // that its record covers
	Hours    float64 // of hands that one run takes: an estimate
	Hour     float64 // price of one; 0: not priced
	Outside  float64 // price of an accredited certificate; 0: not priced
}

// Case is what the record fills in of a case, and where each figure comes from. What is
// not named there is left at 0: a person fills it in.
func (r Record) Case() (Case, []string) {
	c := Case{Use: Decision, LeastTUR: r.LeastTUR}
	from := []string{}
	say := func(format string, args ...any) { from = append(from, fmt.Sprintf(format, args...)) }
	switch {
	case r.Compares:
		c.Use = Reference
		say("Others are compared with it: a reference.")
	case r.Risk <= 1:
		c.Use = Indication
		say("Its risk is %d: taken as an indication only; say so if a diagnosis follows from it.", r.Risk)
	default:
		say("Its risk is %d: taken as something that a diagnosis or a treatment follows from.", r.Risk)
	}
	if r.Days > 0 {
		c.PerYear = 365.25 / float64(r.Days)
		say("Every %d days: %.2g calibrations a year.", r.Days, c.PerYear)
	}
	if r.TUR > 0 {
		c.TUR = r.TUR
		say("The smallest ratio of limit to U in its last run was %.1f.", r.TUR)
	}
	if r.Years >= 0.5 {
		c.Failures = float64(r.Failures) / r.Years
		say("%d failed runs, repairs or falls in %.1f years: %.2g a year.", r.Failures, r.Years, c.Failures)
	}
	if r.Hours > 0 && r.Hour > 0 {
		c.InHouse = r.Hours * r.Hour
		say("A run takes about %.1f hours of hands (an estimate), at %g an hour.", r.Hours, r.Hour)
	}
	if r.Outside > 0 {
		c.Accredited = r.Outside
		say("An accredited certificate costs %g by the lab's prices.", r.Outside)
	}
	return c, from
}
