package procedure

// HandlingTimes are about how long a step takes a practised technician, in minutes; the rest of a
// run's time is its own. They are what a plan begins with, not a demand.
type HandlingTimes struct {
	Bring, Step, Record, Typed, Linked, Finding, Sign float64

	Unknown float64 // a whole job that goes by no procedure
}

// DefaultHandlingTimes are where a lab begins.
var DefaultHandlingTimes = HandlingTimes{
	Bring:   2,
	Step:    1,
	Record:  1.5,
	Typed:   1,
	Linked:  0.4,
	Finding: 2,
	Sign:    2,
	Unknown: 20,
}

// Estimate is how a run of a procedure divides: hands before its longest stretch of
// waiting, that waiting, and hands after it; in minutes.
type Estimate struct{ Setup, Wait, Finish float64 }

// Total is the whole run.
func (e Estimate) Total() float64 { return e.Setup + e.Wait + e.Finish }

// From how many points on, or how many minutes, a measure that is read hands free runs by itself.
const (
	manyPoints = 6
	longWatch  = 5
)

// Estimate adds up a procedure's steps: waits, and measures of many points that are read
// by themselves, are waiting; everything else is hands.
func (p *Procedure) Estimate(h HandlingTimes) Estimate {
	type stretch struct{ before, wait float64 }
	var all []stretch
	hands := h.Bring + h.Step
	for _, s := range p.Steps {
		switch s := s.(type) {
		case *WaitStep:
			all = append(all, stretch{hands, s.Minutes})
			hands = 0
		case *Measure:
			n := float64(len(s.Points) * s.Repeats)
			switch {
			case s.Capture == nil:
				hands += n * h.Typed
			case s.Optional:
			case s.Capture.Hands == "free" && (len(s.Points) >= manyPoints || s.watching() >= longWatch):
				all = append(all, stretch{hands + h.Linked, s.watching() + n*h.Linked})
				hands = 0
			default:
				hands += s.watching() + n*h.Linked
			}
		case *Finding:
			hands += h.Finding
		case *RecordStep, *AmbientStep:
			hands += h.Record
		default:
			hands += h.Step
		}
	}
	hands += h.Sign
	longest := -1
	for i, s := range all {
		if longest < 0 || s.wait > all[longest].wait {
			longest = i
		}
	}
	var e Estimate
	for i, s := range all {
		switch {
		case i < longest:
			e.Setup += s.before + s.wait
		case i == longest:
			e.Setup += s.before
			e.Wait = s.wait
		default:
			e.Finish += s.before + s.wait
		}
	}
	e.Finish += hands
	if longest < 0 {
		e.Setup, e.Finish = e.Finish, 0
	}
	return e
}

// watching is how long a linked measure watches its traces, in minutes.
func (m *Measure) watching() (minutes float64) {
	for _, p := range m.Points {
		with := map[string]float64{}
		for _, m := range []map[string]float64{m.Capture.With, p.With} {
			for k, v := range m {
				with[k] = v
			}
		}
		l := CaptureInput{Seconds: m.Capture.Seconds, With: with}
		watch := max(m.Capture.Seconds, with["settle"]+60*with["minutes"], 6) / 60
		if with["patience"] > 0 {
			watch = max(watch, l.Span()/60/4)
		}
		minutes += watch * float64(max(1, m.Repeats))
	}
	return minutes
}

// Estimate is a run of a procedure; of nil, a job that goes by none.
func (h HandlingTimes) Estimate(p *Procedure) Estimate {
	if p == nil {
		return Estimate{Setup: h.Unknown}
	}
	return p.Estimate(h)
}

// Hours are the hours of hands in it.
func (e Estimate) Hours() float64 { return (e.Setup + e.Finish) / 60 }
