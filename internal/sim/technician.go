package sim

import (
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"strings"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/core/runview"

	"github.com/oklog/ulid/v2"
)

// Truth is what a simulated device really does.
type Truth interface {
	// Read is what the device shows where the reference is expected.
	Read(measure, point string, expected float64) float64
	// Turn moves a control of the device, or its entry for a point, by an amount in the control's unit.
	Turn(control, point string, change float64)
}

// Technician works through a run by the book: every step in order, every reading
// from a simulated device, every decision as advised.
type Technician struct {
	Person   person.Person
	Reviewer person.Person
	At       time.Time                                               // of the next thing done
	Standard func(r run.Run, role reference.Role) reference.Standard // to fill a role
	Room     [3]string                                               // temperature, pressure, humidity
	Plate    map[string]string
	Truth    Truth
	Until    string // stop before this step; empty works to the signature
	// Capture takes a reading from an instrument, where one is at hand; nil types what Truth shows.
	Capture func(r run.Run, m *procedure.Measure, p *procedure.Point) (run.CaptureReading, error)
	// Links says whether an instrument of a kind is at hand; nil: every kind is, where Capture is set.
	Links func(kind string) bool

	run    run.Run
	events []run.Event
	n      int
}

// Work opens a run of a procedure and works through all its steps. It returns the run and its events.
func (t *Technician) Work(p *procedure.Procedure, open run.RunOpened) (run.Run, []run.Event, error) {
	t.run, t.events = run.NewRun(p), nil
	t.run.ID = ulid.MustNew(ulid.Timestamp(t.At), rand.NewChaCha8([32]byte(fmt.Appendf(nil, "%016x%016x",
		uint64(t.At.UnixNano()), seed(open.Device.Tag))))).String()
	if err := t.do(run.OpenRun{RunOpened: open}); err != nil {
		return t.run, nil, err
	}
	for _, step := range p.Way() {
		if step.Base().ID == t.Until {
			break
		}
		if err := t.step(step); err != nil {
			return t.run, t.events, fmt.Errorf("%s, step %s: %w", open.Device.Tag, step.Base().ID, err)
		}
	}
	return t.run, t.events, nil
}

func seed(s string) uint64 {
	h := fnv.New64a()
	h.Write([]byte(s))
	return h.Sum64()
}

func (t *Technician) do(c run.Command) error { return t.doAs(t.Person, c) }

func (t *Technician) doAs(who person.Person, c run.Command) error {
	t.n++
	id := fmt.Sprintf("%s-%04d", t.run.ID, t.n)
	events, err := t.run.Decide(id, c, run.Order{At: t.At, By: who})
	if err != nil {
		return err
	}
	for _, e := range events {
		t.run = t.run.Apply(e)
	}
	t.events = append(t.events, events...)
	t.At = t.At.Add(20 * time.Second)
	return nil
}

func (t *Technician) step(step procedure.Step) error {
	b := step.Base()
	if !t.run.Holds(b.Condition) {
		return nil
	}
	switch s := step.(type) {
	case *procedure.BringStep:
		for _, role := range t.run.Procedure.Roles {
			standard := t.Standard(t.run, role)
			if role.Optional && standard.ID == "" {
				continue
			}
			if err := t.do(run.BindStandard{Role: role.ID, Standard: standard}); err != nil {
				return err
			}
		}
		return nil
	case *procedure.CheckStep:
		c := run.AnswerCheck{Step: b.ID, Answer: run.Fine}
		if s.Reads != "" {
			c.Known = &run.Known{Words: "In order, by the record of that day.", Good: true}
		}
		return t.do(c)
	case *procedure.CautionsStep:
		return t.do(run.AnswerCheck{Step: b.ID, Answer: run.Fine})
	case *procedure.ActStep:
		return t.do(run.DoStep{Step: b.ID})
	case *procedure.WaitStep:
		if err := t.do(run.StartWait{Step: b.ID}); err != nil {
			return err
		}
		t.At = t.At.Add(time.Duration(s.Minutes*60) * time.Second)
		return nil
	case *procedure.AmbientStep:
		return t.do(run.RecordAmbient{
			Step:        b.ID,
			Temperature: t.Room[0],
			Pressure:    t.Room[1],
			Humidity:    t.Room[2],
			Source:      "RC-01",
		})
	case *procedure.RecordStep:
		return t.do(run.RecordPlate{Step: b.ID, Values: t.plate(s)})
	case *procedure.Measure:
		return t.measure(s)
	case *procedure.Finding:
		return t.judge(s)
	}
	return t.sign()
}

// plate is what is recorded: what is known of the device, else the first choice, or the
// middle of the range.
func (t *Technician) plate(s *procedure.RecordStep) map[string]string {
	values := map[string]string{}
	for _, f := range s.Fields {
		known, ok := t.Plate[f.ID]
		role, what, printed := strings.Cut(f.SameAs, ".")
		bound := t.run.Bound[role].Standard
		switch {
		case printed && what == procedure.Lot && !ok:
			values[f.ID] = bound.Lot
			if bound.Lot == "" { // made for a try-out
				values[f.ID] = "as on its label"
			}
		case printed && what == procedure.Expiry && !ok:
			values[f.ID] = bound.Certificate.DueOn.Format(time.DateOnly)
		case printed && !ok:
			for _, line := range bound.Lines(what, 0, f.Unit, false) {
				if scale, err := quantity.ScaleOf(what, line.Unit, t.run.FieldUnit(f)); err == nil {
					values[f.ID] = fmt.Sprintf("%.4g", line.Value*scale)
				}
			}
		case ok:
			values[f.ID] = known
		case f.Optional:
		case f.ID == "administration_set":
			values[f.ID] = "Marrable 20 drops/mL, lot 4471"
		case f.Text:
			values[f.ID] = "as on its label"
		case len(f.Options) > 0:
			values[f.ID] = f.Options[0].ID
		default:
			values[f.ID] = fmt.Sprintf("%g", (f.Min+f.Max)/2)
		}
	}
	return values
}

// measure reads every point that is still to be read.
func (t *Technician) measure(m *procedure.Measure) error {
	for i := range m.Points {
		p := &m.Points[i]
		if !t.run.Holds(p.Condition) {
			continue
		}
		for range m.Repeats {
			if err := t.read(m, p); err != nil {
				return err
			}
		}
	}
	return nil
}

func (t *Technician) read(m *procedure.Measure, p *procedure.Point) error {
	if t.run.ToMove(p) != "" {
		if err := t.do(run.MoveByHand{Measure: m.ID, Point: p.ID}); err != nil {
			return err
		}
	}
	if t.Capture != nil && m.Capture != nil && (t.Links == nil || t.Links(m.Capture.Instrument)) {
		c, err := t.Capture(t.run, m, p)
		if err != nil {
			return err
		}
		c.Reading = fmt.Sprintf("%s-r%04d", t.run.ID, t.n)
		if c.Origin != nil {
			c.Origin.At = t.At // the bench has a clock of its own
		}
		return t.follow(m, p, t.do(c))
	}
	e, err := t.run.Expect(m, p)
	if err != nil {
		return err
	}
	step := t.run.Resolution(m)
	shown := t.Truth.Read(m.ID, p.ID, e.Reference)
	text := fmt.Sprintf("%.6g", float64(int64(shown/step+copysignHalf(shown)))*step)
	return t.follow(m, p, t.do(run.CaptureReading{
		Reading:   fmt.Sprintf("%s-r%04d", t.run.ID, t.n),
		Measure:   m.ID,
		Point:     p.ID,
		Typed:     text,
		Confirmed: true,
	}))
}

// follow looks at the set-up after a reading that is far out, and repeats it once.
func (t *Technician) follow(m *procedure.Measure, p *procedure.Point, err error) error {
	if err != nil {
		return err
	}
	if !t.run.Gross(m, p) {
		return nil
	}
	for _, view := range runview.Of(t.run, t.At).Measures {
		for _, point := range view.Points {
			if view.ID == m.ID && point.ID == p.ID && point.GrossOpen && !point.SetUpSeen {
				if err := t.do(run.CheckSetUp{Measure: m.ID, Point: p.ID,
					Note: "Looked at everything the procedure names; nothing found."}); err != nil {
					return err
				}
				return t.read(m, p)
			}
		}
	}
	return nil
}

func copysignHalf(v float64) float64 {
	if v < 0 {
		return -0.5
	}
	return 0.5
}

// judge closes a phase, decides as advised, and adjusts until it holds.
func (t *Technician) judge(s *procedure.Finding) error {
	for {
		if err := t.do(run.ClosePhase{Finding: s.ID}); err != nil {
			return err
		}
		advice, err := t.run.Advise(s)
		if err != nil {
			return err
		}
		decision, reason := advice.Decision, ""
		if decision == adjust.Investigate {
			decision, reason = adjust.Withdraw, "Set-up looked at and found in order; the device goes to service."
		}
		if err := t.do(run.DecideFinding{Finding: s.ID, Decision: decision, Reason: reason}); err != nil {
			return err
		}
		if decision != adjust.Adjust {
			return nil
		}
		for _, m := range advice.Moves {
			t.Truth.Turn(m.Control, m.Point, m.Change)
			typed := ""
			if load := t.run.SpanLoad(s); load != nil {
				typed = fmt.Sprintf("%.6g", load.Value)
			}
			if err := t.do(run.MakeAdjustment{
				Finding: s.ID,
				Typed:   typed,
				Control: m.Control,
				Point:   m.Point,
				Steps:   m.Steps,
			}); err != nil {
				return err
			}
		}
		for _, mv := range runview.Of(t.run, t.At).Measures {
			if mv.Finding != s.ID || !mv.Reading {
				continue
			}
			if err := t.measure(t.run.Procedure.Measure(mv.ID)); err != nil {
				return err
			}
		}
	}
}

func (t *Technician) sign() error {
	result, why := t.run.Outcome()
	did := "Verified"
	if t.run.Procedure.Maintains {
		did = "Maintained"
	}
	c := run.SignRun{Statement: fmt.Sprintf("%s by the procedure: %s; %s.", did, result, why)}
	review := t.run.NeedsReview(t.Person, result)
	if review {
		c.Reviewer = &t.Reviewer
	}
	if err := t.do(c); err != nil || !review || t.Until == "review" {
		return err
	}
	t.At = t.At.Add(2 * time.Hour)
	return t.doAs(t.Reviewer, run.ReviewRun{Note: "Record complete."})
}
