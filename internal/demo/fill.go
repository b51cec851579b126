package demo

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/interval"
	"northneedle/core/procedure"
	"northneedle/internal/ledger"
	"northneedle/procedures"

	"github.com/alexedwards/argon2id"
)

func trim(v float64) string { return strconv.FormatFloat(v, 'g', -1, 64) }

// Lab is the scenario's way of judging.
func Lab() procedure.Lab {
	return procedure.Lab{Name: "Hallowmere Sound Health Service, biomedical workshop", Rule: conformity.Rule{Kind: conformity.Simple, TURFloor: 3},
		Policy: adjust.Policy{School: adjust.Threshold, Threshold: 0.7, MaxRounds: 4}, Review: procedure.ReviewOnFailure}
}

// filler builds the scenario up.
type filler struct {
	ledger     *ledger.Ledger
	now        time.Time
	today      time.Time
	random     *rand.Rand
	procedures map[string]procedure.Procedure // by family
	standards  map[string]ledger.Standard
	people     map[string]procedure.Person
	assets     []ledger.Asset
	models     map[string]model // by asset
	records    []any
}

// Fill puts the scenario into an empty ledger. The same seed gives the same one,
// relative to now; password is what its people sign in with.
func Fill(l *ledger.Ledger, all []procedure.Procedure, instruments []ledger.Instrument, password string, seed uint64, now time.Time) error {
	f := &filler{ledger: l, now: now, today: time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, now.Location()), random: rand.New(rand.NewPCG(seed, 417)),
		procedures: map[string]procedure.Procedure{}, standards: map[string]ledger.Standard{}, people: map[string]procedure.Person{}, models: map[string]model{}}
	for _, p := range all {
		f.procedures[p.Family] = p
	}
	if err := f.cast(password); err != nil {
		return err
	}
	f.references()
	f.fleet()
	for _, i := range instruments {
		f.records = append(f.records, &i)
	}
	if err := l.Save(f.records...); err != nil {
		return err
	}
	if err := l.SetSetting("lab", Lab()); err != nil {
		return err
	}
	if err := f.histories(); err != nil {
		return err
	}
	return f.present()
}

func (f *filler) cast(password string) error {
	hash, err := argon2id.CreateHash(password, argon2id.DefaultParams)
	if err != nil {
		return err
	}
	for _, c := range cast {
		f.people[c.id] = procedure.Person{ID: c.id, Name: c.name, Role: c.role}
		f.records = append(f.records, &ledger.Person{ID: c.id, Name: c.name, Role: c.role, PasswordHash: hash, Active: true, Demo: true})
	}
	return nil
}

// fleet enters the devices. The first capnograph at Merrowby is MB-0417, in Theatre 2.
func (f *filler) fleet() {
	number := 417
	for m, md := range models {
		for s, site := range sites {
			for range fleet[m][s] {
				place := site.places[f.random.IntN(len(site.places))]
				if number == 417 {
					place = "Theatre 2"
				}
				tag := fmt.Sprintf("%s-%04d", site.letters, number)
				number += 1 + f.random.IntN(6)
				a := ledger.Asset{ID: "dev-" + tag, Tag: tag, Serial: fmt.Sprintf("%s%06d", md.maker[:1], 100000+f.random.IntN(800000)), Maker: md.maker, Model: md.name, Family: md.family,
					Site: site.name, Place: place, Status: ledger.InUse, Risk: md.risk, Settings: md.settings, Limits: md.limits, Resolution: md.resolution}
				a.Search = ledger.Searchable(a)
				f.assets = append(f.assets, a)
				f.models[a.ID] = md
				f.records = append(f.records, &a)
				f.activity(a, md)
			}
		}
	}
}

func (f *filler) activity(a ledger.Asset, md model) {
	act := ledger.Activity{ID: "act-" + a.Tag, AssetID: a.ID, Title: md.duty, Months: md.months, DueOn: f.today.AddDate(0, 0, 30), Risk: md.risk, Active: true, Reason: "first verification after delivery"}
	if p, ok := f.procedures[md.family]; ok {
		act.Procedure, act.Title, act.Months = p.ID, p.Title, p.Next.Months
	}
	f.records = append(f.records, &act)
}

// lastDone says how many days ago each device was last done: spread over its
// interval, with some overdue.
func (f *filler) lastDone(a ledger.Asset, md model) int {
	full := md.months * 30
	switch {
	case a.Tag == "MB-0417":
		return 395
	case f.random.IntN(7) == 0:
		return full - 1 - f.random.IntN(15)
	case f.random.IntN(12) == 0:
		return full + 12 + f.random.IntN(max(2, full/5))
	}
	return 3 + f.random.IntN(max(1, full-3))
}

// histories writes three years of runs: the families with a procedure through the
// whole record, the others as taken over from older paper.
func (f *filler) histories() error {
	var paper []any
	for _, a := range f.assets {
		md := f.models[a.ID]
		last := f.lastDone(a, md)
		truth := newDrift(f.random, a.Family)
		ages := []int{}
		for age := last; age < 3*365 && len(ages) < 4; age += md.months*30 + f.random.IntN(20) {
			ages = append(ages, age)
		}
		slices.Reverse(ages)
		for i, age := range ages {
			truth.years = float64(ages[0]-age) / 365
			if p, ok := f.procedures[a.Family]; ok {
				if err := f.record(a, p, truth, age, i); err != nil {
					return err
				}
				continue
			}
			paper = append(paper, f.paper(a, md, truth, age)...)
		}
	}
	return f.ledger.Save(paper...)
}

// at is a time on a working day so many days ago.
func (f *filler) at(age int) time.Time {
	return f.today.AddDate(0, 0, -age).Add(time.Duration(8*60+f.random.IntN(420)) * time.Minute)
}

func (f *filler) technician(a ledger.Asset, truth *drift, at time.Time) *Technician {
	who := []string{"idris", "noor", "tamsin"}[f.random.IntN(3)]
	t := &Technician{Person: f.people[who], Reviewer: f.people["tamsin"], At: at, Truth: truth, Room: [3]string{"21", "1009", "50"}, Plate: map[string]string{"capacity": "200", "division": "0.1"},
		Standard: func(_ procedure.Run, role procedure.Role) procedure.Standard { return f.fitting(role, at) }}
	if who == "tamsin" {
		t.Reviewer = procedure.Person{ID: "former-lead", Name: "Corran Lisle", Role: procedure.Lead}
	}
	for _, s := range sites {
		if s.name == a.Site {
			t.Room = s.room
		}
	}
	return t
}

// fitting is a standard that filled a role then: with the certificate it had at that time.
func (f *filler) fitting(role procedure.Role, at time.Time) procedure.Standard {
	for _, r := range references {
		s := f.standards[r.tag].Core()
		if s.Kind == role.Kind {
			s.Status = procedure.Usable
			if s.Certificate.On.After(at) {
				s.Certificate.On, s.Certificate.DueOn, s.Certificate.Number = at.AddDate(0, -3, 0), at.AddDate(0, 9, 0), s.Certificate.Number+"-P"
			}
			if s.Certificate.DueOn.Before(at) || r.due < 0 {
				continue
			}
			if s.Cylinder != nil {
				full := *s.Cylinder
				full.GaugeBar = 80
				s.Cylinder = &full
			}
			if len(role.Fits(s, at).Blocks) == 0 {
				return s
			}
		}
	}
	return procedure.Standard{}
}

func (f *filler) record(a ledger.Asset, p procedure.Procedure, truth *drift, age, i int) error {
	t := f.technician(a, truth, f.at(age))
	_, events, err := t.Work(p, f.opened(a, p))
	if err != nil {
		return err
	}
	return f.ledger.Take(p, procedures.Hash(p), events)
}

func (f *filler) opened(a ledger.Asset, p procedure.Procedure) procedure.RunOpened {
	return procedure.RunOpened{Procedure: p.ID, Revision: p.Revision, Hash: procedures.Hash(p), Device: a.Device(), Lab: Lab()}
}

// paper is a run taken over from an older record: its results without its events.
func (f *filler) paper(a ledger.Asset, md model, truth *drift, age int) []any {
	at := f.at(age)
	id := fmt.Sprintf("paper-%s-%s", a.Tag, at.Format("20060102"))
	run := &ledger.Run{ID: id, AssetID: a.ID, Tag: a.Tag, Device: a.Maker + " " + a.Model, Site: a.Site, Place: a.Place, Family: a.Family, Title: md.duty, Status: procedure.Signed,
		Result: procedure.Conforms, OpenedAt: at, EndedAt: &at, ByID: "idris", By: "Idris Vail", Now: "signed", Paper: true}
	records := []any{run}
	for _, p := range md.points {
		e := p.limit * math.Max(-1.6, math.Min(1.6, truth.share+truth.slope*truth.years*0.5+0.15*f.random.NormFloat64()))
		low, high := -p.limit, p.limit
		assessed, err := conformity.Assess(e, conformity.Limits{Low: low, High: high}, p.u, 2)
		if err != nil {
			continue
		}
		if !assessed.Zone.Within() {
			run.Result = procedure.Fails
		}
		records = append(records, &ledger.Result{RunID: id, AssetID: a.ID, At: at, Measure: p.measure, Point: procedure.Slug(p.label), Label: p.label, Unit: p.unit, Phase: procedure.AsFound,
			Reference: p.at, Indicated: p.at + e, Error: e, Low: &low, High: &high, U: p.u, Zone: assessed.Zone, Lean: assessed.Lean, Fan: p.u / p.limit})
	}
	due, err := interval.Fixed(at, md.months, "")
	if err != nil {
		return records
	}
	return append(records, &ledger.Activity{ID: "act-" + a.Tag, AssetID: a.ID, Title: md.duty, Months: md.months, LastOn: &at, DueOn: due.On, Risk: md.risk, Active: true, Reason: due.Reason})
}

// drift is a device that wanders slowly, and answers to its controls.
type drift struct {
	random        *rand.Rand
	family        string
	share, slope  float64 // for paper: error as a share of the limit, and its change a year
	gain, perYear float64
	pressed       float64
	years         float64
}

func newDrift(r *rand.Rand, family string) *drift {
	d := &drift{random: r, family: family, share: 0.3 * r.NormFloat64(), slope: 0.35 * r.NormFloat64(), gain: 1 + 0.008*r.NormFloat64(), perYear: -0.012 + 0.01*r.NormFloat64()}
	return d
}

// Read is what the device shows.
func (d *drift) Read(measure, point string, expected float64) float64 {
	switch measure {
	case "co2":
		if d.family != "capnograph" {
			break
		}
		return expected*(d.gain+d.perYear*d.years)*(1+d.pressed) + 0.01*math.Max(1, expected/10)*d.random.NormFloat64()
	case "spo2":
		return expected + math.Max(-1.4, math.Min(1.4, 0.5*d.random.NormFloat64()))
	case "rate", "pulse":
		return expected
	}
	return expected * (1 + (d.gain-1+d.perYear*d.years)/25) * (1 + d.pressed)
}

// Turn moves a control; a span's unit is the percent.
func (d *drift) Turn(control, _ string, change float64) {
	if control == "span" {
		d.pressed += change / 100
	}
}
