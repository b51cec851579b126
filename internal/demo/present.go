package demo

import (
	"fmt"
	"time"

	"northneedle/internal/ledger"
	"northneedle/procedures"
)

// present opens what is under way today: a capnograph whose gas was left open
// yesterday, a scale half done, and a capnograph that failed and waits for review.
func (f *filler) present() error {
	capnographs, scales := f.of("capnograph"), f.of("patient-scale")
	if len(capnographs) < 4 || len(scales) < 3 {
		return fmt.Errorf("the scenario has too few devices")
	}
	jobs := []struct {
		asset ledger.Asset
		who   string
		ago   time.Duration
		until string
		gain  float64
	}{
		{capnographs[2], "noor", 19 * time.Hour, "rate", 1.01},
		{scales[1], "idris", 50 * time.Minute, "corners", 1},
		{capnographs[3], "noor", 27 * time.Hour, "review", 0.62},
	}
	for _, j := range jobs {
		p := f.procedures[j.asset.Family]
		truth := newDrift(f.random, j.asset.Family)
		truth.gain, truth.perYear = j.gain, 0
		t := f.technician(j.asset, truth, f.now.Add(-j.ago))
		t.Person, t.Reviewer, t.Until = f.people[j.who], f.people["tamsin"], j.until
		if j.until == "review" {
			t.Truth = stubborn{truth}
		}
		_, events, err := t.Work(p, f.opened(j.asset, p))
		if err != nil {
			return err
		}
		if err := f.ledger.Take(p, procedures.Hash(p), events); err != nil {
			return err
		}
	}
	return nil
}

func (f *filler) of(family string) []ledger.Asset {
	var found []ledger.Asset
	for _, a := range f.assets {
		if a.Family == family {
			found = append(found, a)
		}
	}
	return found
}

// stubborn is a device whose saturation reads far low whatever is done.
type stubborn struct{ *drift }

// Read is what it shows.
func (s stubborn) Read(measure, point string, expected float64) float64 {
	if measure == "spo2" {
		return expected - 4
	}
	s.drift.gain = 1
	return s.drift.Read(measure, point, expected)
}
