package demo

import (
	"fmt"
	"time"

	"northneedle/core/reference"
	"northneedle/internal/ledger"
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
		p := f.procedures[f.dutiesOf(j.asset)[0].Procedure]
		f.random = f.chance(j.asset.Tag + " now")
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
		if err := f.ledger.Take(p, events); err != nil {
			return err
		}
	}
	return f.lookBacks()
}

// lookBacks closes those whose owners answered long ago, and opens one on the cylinder
// that was found to hold less than its certificate says.
func (f *filler) lookBacks() error {
	open, err := f.ledger.LookBacks(false, 1000)
	if err != nil {
		return err
	}
	for _, b := range open {
		if f.today.Sub(b.OpenedAt) < 45*24*time.Hour {
			continue
		}
		notices, err := f.ledger.Notices(b.ID)
		if err != nil {
			return err
		}
		told, closed := b.OpenedAt.Add(2*time.Hour), b.OpenedAt.AddDate(0, 0, 9)
		for i := range notices {
			answered := b.OpenedAt.AddDate(0, 0, 6)
			notices[i].SentAt, notices[i].SentBy, notices[i].AnsweredAt, notices[i].AnsweredBy = &told, b.OpenedBy, &answered, "Tamsin Orrery"
			notices[i].Answer = "Records of the time were looked through; nothing was decided by its values alone."
		}
		b.ClosedAt, b.ClosedBy, b.Conclusion = &closed, "Tamsin Orrery", "The owner answered; nothing to correct."
		if err := f.ledger.SaveLookBack(f.act("tamsin", "look-back closed", closed), &b.LookBack, notices...); err !=
			nil {
			return err
		}
	}
	bad := f.standards["HG-19"]
	known := reference.ReferenceError{
		Standard: bad.ID,
		Quantity: "CO2",
		Error:    -0.42,
		U:        0.06,
		Unit:     "%{vol}",
		Remove:   true,
	}
	_, err = f.ledger.OpenOnReference("look-back-HG-19", bad, known,
		"read 0.42 vol% low against HG-22, three times on two days",
		f.act("tamsin", "look-back opened", f.today.AddDate(0, 0, -1).Add(15*time.Hour)))
	return err
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
