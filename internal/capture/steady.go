package capture

import (
	"context"
	"fmt"
	"northneedle/core/run"
	"northneedle/internal/instrument"
	"time"
)

// Pace is how patiently a point is read.
type Pace struct {
	Beat     time.Duration // between two looks
	Stand    time.Duration // how long the reading must stand before it is taken
	Away     time.Duration // how long the instrument may be away
	Patience time.Duration // for the reading to stand, beyond what the point watches
}

// LivePace suits the bench.
var LivePace = Pace{
	Beat:     120 * time.Millisecond,
	Stand:    500 * time.Millisecond,
	Away:     15 * time.Second,
	Patience: 3 * time.Minute,
}

// Unsteady says that a reading did not come to stand.
type Unsteady struct{ Why string }

func (u *Unsteady) Error() string { return "does not become steady: " + u.Why }

// Away says that an instrument was away for too long.
type Away struct{ Words string }

func (a *Away) Error() string { return a.Words }

// TakenOver says that an instrument was taken over while a point was read.
type TakenOver struct{ Hold Hold }

func (t *TakenOver) Error() string {
	return fmt.Sprintf("%s took the instrument over for %s", t.Hold.Name, t.Hold.Device)
}

// Steady waits until a point's reading has stood for a moment, and takes it. Each look is
// handed to "seen", which may be nil. It returns an [*Unsteady], an [*Away], a [*TakenOver] or the context's error.
func (d *Driver) Steady(ctx context.Context, w *Point, pace Pace, seen func(Frame)) (run.CaptureReading, error) {
	c := run.CaptureReading{Measure: w.key.measure, Point: w.key.point}
	began := d.clock.Now()
	alive, since := began, time.Time{}
	for {
		if err := d.clock.Sleep(ctx, pace.Beat); err != nil {
			return c, err
		}
		f, now := w.look(), d.clock.Now()
		if seen != nil {
			seen(f)
		}
		switch {
		case f.Held != nil:
			return c, &TakenOver{*f.Held}
		case f.Status.State == instrument.Alive:
			alive = now
		case now.Sub(alive) > pace.Away:
			return c, &Away{f.Status.Words}
		}
		if f.Unset && f.Status.State == instrument.Alive { // it was away
			if err := w.drive(ctx); err != nil {
				return c, err
			}
		}
		if !f.Steady || len(f.Values) == 0 {
			since = time.Time{}
		} else if since.IsZero() {
			since = now
		}
		if !since.IsZero() && now.Sub(since) >= pace.Stand {
			return c, d.record(ctx, w.key.run, w.who, keptFrame{Frame: f, trace: w.thinTrace()}, &c)
		}
		if now.Sub(began) > pace.Patience+w.Span() {
			return c, &Unsteady{f.Why}
		}
	}
}
