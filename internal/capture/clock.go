package capture

import (
	"context"
	"sync"
	"time"
)

// Clock gives the time and waits.
type Clock interface {
	Now() time.Time
	// Sleep waits; it returns early with the context's error when that ends.
	Sleep(ctx context.Context, d time.Duration) error
}

// WallClock is the time of the workshop: Time says what time it is, and Speed how many seconds
// of it pass in a real one (0 means 1).
type WallClock struct {
	Time  func() time.Time
	Speed float64
}

// shortest keeps a fast clock from looking without a pause.
const shortest = 40 * time.Millisecond

// leap is how much real time a fast clock takes at once at most.
const leap = 25 * time.Millisecond

// Faster is a clock that begins now and goes at a speed. It never leaps: when a busy machine has not
// looked at it for longer than 25 ms, the rest of that time has not passed for anyone. So it must be
// looked at often; the simulated instruments that go by it do.
func Faster(speed float64) WallClock {
	var mutex sync.Mutex
	looked := time.Now()
	shown := looked
	now := func() time.Time {
		mutex.Lock()
		defer mutex.Unlock()
		real := time.Now()
		shown = shown.Add(time.Duration(speed * float64(min(real.Sub(looked), leap))))
		looked = real
		return shown
	}
	return WallClock{Time: now, Speed: speed}
}

// Now is the time of the workshop.
func (c WallClock) Now() time.Time { return c.Time() }

// Sleep waits for so much of the workshop's time.
func (c WallClock) Sleep(ctx context.Context, d time.Duration) error {
	if c.Speed > 1 {
		d = max(time.Duration(float64(d)/c.Speed), min(d, shortest))
	}
	timer := time.NewTimer(d)
	defer timer.Stop()
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-timer.C:
		return nil
	}
}
