package demo

import (
	"fmt"
	"hash/fnv"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/duty"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/internal/definition"
	"northneedle/internal/ledger"
	"northneedle/internal/sim"

	"northneedle/internal/people"
)

func trim(v float64) string { return strconv.FormatFloat(v, 'g', -1, 64) }

// Lab is the scenario's way of judging.
func Lab() run.Lab {
	return run.Lab{Name: "Hallowmere Sound Health Service, biomedical workshop",
		Rule:   conformity.Rule{Kind: conformity.Simple, TURFloor: 3},
		Policy: adjust.Policy{School: adjust.Threshold, Threshold: 0.7, MaxRounds: 4},
		Review: procedure.ReviewOnFailure}
}

// filler builds the scenario up.
type filler struct {
	ledger     *ledger.Ledger
	now        time.Time
	today      time.Time
	seed       uint64
	random     *rand.Rand                      // of the thing being made
	procedures map[string]*procedure.Procedure // by id
	duties     []duty.Template
	standards  map[string]ledger.Standard
	people     map[string]person.Person
	assets     []ledger.Asset
	records    []any
}

// Fill puts the scenario into an empty ledger. The same seed gives the same one,
// relative to now; password is what its people sign in with.
func Fill(l *ledger.Ledger, all []*procedure.Procedure, instruments []ledger.Instrument, password string, seed uint64,
	now time.Time) error {
	f := &filler{ledger: l, now: now, today: time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, now.Location()),
		seed:       seed,
		procedures: map[string]*procedure.Procedure{}, standards: map[string]ledger.Standard{},
		people: map[string]person.Person{}}
	for _, p := range all {
		f.procedures[p.ID] = p
	}
	var err error
	if f.duties, err = definition.Duties(""); err != nil {
		return err
	}
	if err := f.cast(password); err != nil {
		return err
	}
	f.references()
	f.fleet()
	for _, i := range instruments {
		f.records = append(f.records, &i)
	}
	if err := l.Record(ledger.Act{Kind: "entered with the demo", By: ledger.Nobody, At: f.today}, f.records...); err !=
		nil {
		return err
	}
	if err := l.SetSetting(f.act("tamsin", "rules set", f.today), "lab", Lab()); err != nil {
		return err
	}
	if err := l.SetSetting(f.act("tamsin", "prices set", f.today), "prices", map[string]any{
		"currency":    "cr",
		"hour":        62,
		"litre":       0.35,
		"certificate": 340,
	}); err != nil {
		return err
	}
	if err := l.SetSetting(f.act("tamsin", "hours set", f.today), "day", workingDay()); err != nil {
		return err
	}
	if err := f.histories(); err != nil {
		return err
	}
	if err := f.controls(); err != nil {
		return err
	}
	return f.present()
}

// act is what someone of the cast did at a time.
func (f *filler) act(who, kind string, at time.Time) ledger.Act {
	return ledger.Act{Kind: kind, By: f.people[who], At: at}
}

// story is which of the made-up years it is: one in which a model is found out too often, and
// the rest is in order.
const story = 3

// chance is a source of random numbers of a thing's own, so that one thing more in the
// scenario changes no other.
func (f *filler) chance(name string) *rand.Rand {
	return rand.New(rand.NewPCG(f.seed+story, seed(name)))
}

// longHere is for how many years the cast has worked here: longer than any run of the demo is old.
const longHere = 8

func (f *filler) cast(password string) error {
	hash, err := people.Hash(password)
	if err != nil {
		return err
	}
	var staff []any
	for _, c := range cast {
		f.people[c.id] = person.Person{ID: c.id, Name: c.name, Role: c.role}
		staff = append(staff, &ledger.Person{
			ID:           c.id,
			Name:         c.name,
			Role:         c.role,
			PasswordHash: hash,
			Active:       true,
			Demo:         true,
		})
	}
	for i, id := range []string{"tamsin", "idris"} {
		staff = append(staff, &ledger.Competence{ID: fmt.Sprintf("competence-%d", i+1), PersonID: id, Family: "ventilator",
			Ground: person.Examination, Note: "maker's course on ventilators", ByID: "former-lead", ByName: "Corran Lisle",
			At: f.today.AddDate(-longHere, 0, 0)})
	}
	began := f.today.AddDate(-longHere, 0, 0)
	return f.ledger.Record(ledger.Act{Kind: "entered with the demo", By: ledger.Nobody, At: began}, staff...)
}

// fleet enters the devices. The first capnograph at Merrowby is MB-0417, in Theatre 2.
func (f *filler) fleet() {
	f.random = f.chance("fleet")
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
				a := ledger.Asset{ID: "dev-" + tag, Tag: tag,
					Serial: fmt.Sprintf("%s%06d", md.maker[:1], 100000+f.random.IntN(800000)), Maker: md.maker,
					Model: md.name, Family: md.family,
					Site: site.name, Place: place, Status: ledger.InUse, Risk: md.risk, Settings: md.settings,
					Limits: md.limits, Resolution: md.resolution}
				a.Search = ledger.Searchable(a)
				f.assets = append(f.assets, a)
				f.records = append(f.records, &a)
				f.activities(a)
			}
		}
	}
	f.prepared()
}

// prepared enters the references that are prepared by runs of their own.
func (f *filler) prepared() {
	for _, r := range references {
		if len(duty.DutiesOf(f.duties, r.kind, "")) == 0 {
			continue
		}
		md := model{family: r.kind, maker: r.maker, name: strings.ToLower(r.name), risk: 4}
		a := ledger.Asset{
			ID:     "dev-" + r.tag,
			Tag:    r.tag,
			Serial: f.standards[r.tag].Serial,
			Maker:  md.maker,
			Model:  md.name,
			Family: md.family,
			Site:   sites[0].name,
			Place:  "Workshop",
			Status: ledger.InUse,
			Risk:   md.risk,
		}
		a.Search = ledger.Searchable(a)
		f.assets = append(f.assets, a)
		f.records = append(f.records, &a)
		f.activities(a)
	}
}

// activities begin what recurs on a device.
func (f *filler) activities(a ledger.Asset) {
	for _, d := range f.dutiesOf(a) {
		f.records = append(f.records, ledger.NewActivity("act-"+a.Tag+"-"+d.ID, a, d, f.today.AddDate(0, 0, 30),
			"first time after delivery"))
	}
}

func (f *filler) dutiesOf(a ledger.Asset) []duty.Duty {
	return duty.DutiesOf(f.duties, a.Family, a.Maker+" "+a.Model)
}

// days is about how often a duty recurs; a year where only an event makes it due.
func days(d duty.Duty) int {
	if n := d.Days + 30*d.Months; n > 0 {
		return n
	}
	return 365
}

// lastDone says how many days ago a duty was last done on each device: spread over its
// interval, with some overdue.
func (f *filler) lastDone(a ledger.Asset, d duty.Duty) int {
	full := days(d)
	switch {
	case d.ID == "electrical-safety": // in date everywhere: a house that tests as it goes round
		return 20 + f.random.IntN(280)
	case a.Tag == "MB-0417":
		return 395
	case a.Tag == "FA-1":
		return 0
	case a.Tag == "FA-2":
		return 5
	case full == 1:
		return f.random.IntN(2)
	case f.random.IntN(7) == 0:
		return full - 1 - f.random.IntN(min(15, full/2))
	case f.random.IntN(12) == 0:
		return full + 12 + f.random.IntN(max(2, full/5))
	}
	return min(3, full-1) + f.random.IntN(max(1, full-3))
}

// histories writes three years of runs through the whole record, and what was noted by hand.
func (f *filler) histories() error {
	for _, a := range f.assets {
		f.random = f.chance(a.Tag)
		truth := newDrift(f.random, a.Family)
		if wear := f.chance(a.Tag + " wear").IntN(12); wear == 0 ||
			wear < 5 && a.Model == "C2 capnograph" { // some wander fast enough to be found out
			truth.wear = 1
		}
		for _, d := range f.dutiesOf(a) {
			last := f.lastDone(a, d)
			if d.Procedure == "" || d.Maintains {
				if err := f.byHand(a, d, last); err != nil {
					return err
				}
				continue
			}
			ages := []int{}
			for age := last; age < 3*365 && len(ages) < 4; age += days(d) + f.random.IntN(min(20, days(d))) -
				min(14, days(d)/3) { // mostly before their day, some after
				ages = append(ages, age)
			}
			slices.Reverse(ages)
			for i, age := range ages {
				truth.years = float64(ages[0]-age) / 365
				if err := f.record(a, f.procedures[d.Procedure], truth, age, i); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// byHand notes that a duty whose procedure is younger, or that has none, was done some days ago, and its use since.
func (f *filler) byHand(a ledger.Asset, d duty.Duty, age int) error {
	act, err := f.ledger.Activity("act-" + a.Tag + "-" + d.ID)
	if err != nil {
		return err
	}
	at := f.at(age)
	if act.LastOn != nil && act.LastOn.After(at) { // a stronger one has done it since
		return nil
	}
	due := act.DueDay()
	recurring := act.Recurring()
	if err := recurring.Done(at); err != nil {
		return err
	}
	act.Adopt(recurring)
	act.Used = math.Round(d.Uses * min(1.05, float64(age)/float64(days(d))) * (0.7 + 0.3*f.random.Float64()))
	return f.ledger.ChangeActivities(f.act("noor", "done", at),
		[]ledger.ActivityNote{{ID: "note-" + act.ID, ActivityID: act.ID, AssetID: a.ID, At: at, By: "Noor Bexley",
			Kind: ledger.NoteDone, Text: "by its maker's manual", DueOn: due}}, &act)
}

// at is a time on a working day so many days ago.
func (f *filler) at(age int) time.Time {
	if age == 0 {
		return f.now.Add(-90 * time.Minute)
	}
	return f.today.AddDate(0, 0, -age).Add(time.Duration(8*60+f.random.IntN(420)) * time.Minute)
}

func (f *filler) technician(a ledger.Asset, truth *drift, at time.Time) *sim.Technician {
	who := []string{"idris", "noor", "tamsin"}[f.random.IntN(3)]
	if who == "noor" && a.Family == "ventilator" {
		who = "idris" // she may not do them alone
	}
	t := &sim.Technician{Person: f.people[who], Reviewer: f.people["tamsin"], At: at, Truth: truth,
		Room: [3]string{"21", "1009", "50"}, Plate: map[string]string{"capacity": "200", "division": "0.1",
			"water_temperature": "22", "evaporation": "0.02"},
		Standard: func(_ run.Run, role reference.Role) reference.Standard { return f.fitting(role, at) }}
	if who == "tamsin" {
		t.Reviewer = person.Person{ID: "former-lead", Name: "Corran Lisle", Role: person.Lead}
	}
	for _, s := range sites {
		if s.name == a.Site {
			t.Room = s.room
		}
	}
	return t
}

// fitting is a standard that filled a role then: with the certificate it had at that time.
func (f *filler) fitting(role reference.Role, at time.Time) reference.Standard {
	if s := f.fittingThen(role, at, true); s.ID != "" {
		return s
	}
	return f.fittingThen(role, at, false)
}

// fittingThen is one that fits; of cylinders, with there, only those that were in the
// house by then.
func (f *filler) fittingThen(role reference.Role, at time.Time, there bool) reference.Standard {
	for _, r := range references {
		s := f.standards[r.tag].Core()
		if there && s.Cylinder != nil && s.Certificate.On.After(at) {
			continue
		}
		if s.Kind == role.Kind {
			s.Status = reference.Usable
			if s.Certificate.On.After(at) {
				s.Certificate.On, s.Certificate.DueOn, s.Certificate.Number = at.AddDate(0, -3, 0), at.AddDate(0, 9,
					0), s.Certificate.Number+"-P"
			}
			if s.Certificate.DueOn.Before(at) || r.due < 0 {
				continue
			}
			if s.Cylinder != nil {
				full := *s.Cylinder
				full.GaugeBar = 80
				s.Cylinder = &full
			}
			s.Prepared = preparedFor(role, at)
			if len(role.Fits(s, at).Blocks) == 0 {
				return s
			}
		}
	}
	return reference.Standard{}
}

func (f *filler) record(a ledger.Asset, p *procedure.Procedure, truth *drift, age, i int) error {
	truth.test = p.Test
	t := f.technician(a, truth, f.at(age))
	_, events, err := t.Work(p, f.opened(a, p))
	if err != nil {
		return err
	}
	return f.ledger.Take(p, events)
}

func (f *filler) opened(a ledger.Asset, p *procedure.Procedure) run.RunOpened {
	return run.RunOpened{Procedure: p.ID, Revision: p.Revision, Hash: p.Hash, Device: a.Device(), Lab: Lab()}
}

// drift is a device that wanders slowly, and answers to its controls.
type drift struct {
	random        *rand.Rand
	family        string
	gain, perYear float64
	pressed       float64
	years         float64
	wear          float64 // 1 for one that wanders fast
	test          string  // of an analyser, that is calibrated
}

// absorbances are about what the cuvettes of an analyser read, by test, measure and point.
var absorbances = map[string]float64{
	"glucose blank b1": 0.11, "glucose calibrator c1": 0.65,
	"urea blank b1": 0.14, "urea calibrator c1": 0.49,
	"uric acid blank water": 0.06, "uric acid blank calibrator": 0.06, "uric acid first water": 0.089,
	"uric acid first calibrator": 0.089, "uric acid second water": 0.074, "uric acid second calibrator": 0.516,
	"ALT blank b1": 0.12, "ALT speed c1": 0.053,
}

func newDrift(r *rand.Rand, family string) *drift {
	d := &drift{random: r, family: family, gain: 1 + 0.008*r.NormFloat64(), perYear: -0.004 + 0.005*r.NormFloat64()}
	return d
}

// Read is the value the display shows.
func (d *drift) Read(measure, point string, expected float64) float64 {
	switch measure {
	case "co2":
		if d.family != "capnograph" {
			break
		}
		return expected*(d.gain+(d.perYear-0.05*d.wear)*d.years)*(1+d.pressed) +
			0.01*math.Max(1, expected/10)*d.random.NormFloat64()
	case "spo2":
		return expected + math.Max(-1.4, math.Min(1.4, 0.5*d.random.NormFloat64()))
	case "rate", "pulse":
		return expected
	case "crosstalk":
		return expected + 10 + 2*d.random.Float64()
	case "room":
		return expected - 6 - 4*d.random.Float64()
	case "protective-earth", "insulation", "equipment-leakage", "applied-leakage":
		typical := map[string]float64{"protective-earth": 110, "insulation": 60, "equipment-leakage": 140,
			"applied-leakage": 14}
		return typical[measure] * d.gain * (1 + 0.02*d.random.NormFloat64())
	case "blank", "calibrator", "speed", "first", "second":
		return absorbances[d.test+" "+measure+" "+point] * d.gain * (1 + 0.008*d.random.NormFloat64())
	case "alarms":
		return 3 + 4*d.random.Float64()
	}
	worn := 0.0
	if d.family == "patient-scale" {
		worn = 0.0025 * d.wear * d.years
	}
	return expected * (1 + (d.gain-1+d.perYear*d.years)/25 - worn) * (1 + d.pressed)
}

// Turn moves a control; a span's unit is the percent.
func (d *drift) Turn(control, _ string, change float64) {
	if control == "span" {
		d.pressed += change / 100
	}
}

func seed(name string) uint64 {
	h := fnv.New64a()
	h.Write([]byte(name))
	return h.Sum64()
}
