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
	if err := f.exchanged(); err != nil {
		return err
	}
	return f.lookBacks()
}

// exchanged fits parts by procedures that measure nothing.
func (f *filler) exchanged() error {
	for _, job := range []struct {
		family, procedure string
		ago               int
		plate             map[string]string
	}{
		{"blood-gas-analyser", "blood-gas-bottle", 9, map[string]string{"samples": "1431", "bottle-number": "TQ-GB-2",
			"bottle-lot": "GB 61-0934", "expiry": "2027-05"}},
		{"infusion-pump", "battery-exchange", 21, map[string]string{"why": "fell to a third within an hour", "battery-number": "MR-7410",
			"battery-lot": "26-1187"}},
	} {
		a := f.of(job.family)[0]
		f.random = f.chance(a.Tag + job.procedure)
		t := f.technician(a, newDrift(f.random, a.Family), f.at(job.ago))
		t.Plate = job.plate
		p := f.procedures[job.procedure]
		_, events, err := t.Work(p, f.opened(a, p))
		if err != nil {
			return err
		}
		if err := f.ledger.Take(p, events); err != nil {
			return err
		}
	}
	return nil
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
	if _, err = f.ledger.OpenOnReference("look-back-HG-19", bad, bad.Certificate.On, known,
		"read 0.42 vol% low against HG-22, three times on two days",
		f.act("tamsin", "look-back opened", f.today.AddDate(0, 0, -1).Add(15*time.Hour))); err != nil {
		return err
	}
	return f.told()
}

// told is who outside is told, and a safety notice that is nearly settled.
func (f *filler) told() error {
	from := f.today.AddDate(0, -2, 0)
	contacts := []any{
		&ledger.Contact{ID: "contact-quillet", Name: "Quillet Island Clinic, nurse in charge", Mail: "nurse@quillet.example",
			Site: "Quillet Island Clinic", Digest: true, Link: 1, At: from},
		&ledger.Contact{ID: "contact-petrel", Name: "Petrel, purser", Mail: "purser@petrel.example",
			Site: "Hospital boat Petrel", Link: 1, At: from},
		&ledger.Contact{ID: "contact-ward-3", Name: "Ward 3, sister's desk", Mail: "ward3@hallowmere.example",
			Site:  "Merrowby General",
			Place: "Ward 3", At: from},
	}
	if err := f.ledger.Record(f.act("tamsin", "who is told", from), contacts...); err != nil {
		return err
	}
	until := f.today.AddDate(0, 1, 0)
	notice := &ledger.SafetyNotice{ID: "safety-kestmoor-7", Number: "KM-26-07", Issuer: "Kestmoor",
		Title: "Cracked strap of the headset",
		Text: "The strap of headsets made before May can crack and let a cup sit loose: levels then read low at the ear.\n" +
			"Bend the strap once and look along its edge. Exchange it where a line is seen; write the new strap's lot down.",
		Dated: f.today.AddDate(0, 0, -20), Until: &until, Maker: "Kestmoor", Models: []string{"A5 audiometer"},
		At: f.today.AddDate(0, 0, -18), By: f.people["tamsin"].Name}
	records := []any{notice}
	for i, a := range f.of("audiometer") {
		if i == 0 {
			continue // it is open
		}
		done := f.today.AddDate(0, 0, -10+i)
		records = append(records, &ledger.SafetyDevice{ID: notice.ID + "-" + a.ID, NoticeID: notice.ID, AssetID: a.ID,
			Outcome: ledger.SafetyDone, Note: "No line seen; strap kept.", At: done, By: f.people["idris"].Name, Done: &done})
	}
	return f.ledger.Record(f.act("tamsin", "safety notice entered", notice.At), records...)
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
