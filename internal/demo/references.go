package demo

import (
	"fmt"
	"math"
	"slices"
	"time"

	"northneedle/core/reference"
	"northneedle/internal/ledger"
)

// accreditedBy is the invented laboratory that certifies what leaves the house.
const accreditedBy = "Quayside Metrology, Merrowby"

// references enters the standards, each with the certificates it had, and the
// cylinders' books.
func (f *filler) references() {
	for i, r := range references {
		s := ledger.Standard{ID: "std-" + r.tag, Tag: r.tag, Name: r.name, Kind: r.kind, Maker: r.maker,
			Serial: fmt.Sprintf("%s%04d", r.maker[:2], 1200+37*i), Place: "Workshop",
			Status: r.status, Values: r.values, Cylinder: r.cylinder, Note: r.note, Lot: r.lot}
		if s.Status == "" {
			s.Status = reference.Usable
		}
		if r.parent != "" {
			s.Parent = "std-" + r.parent
		}
		if r.drift != 0 {
			s.Values = slices.Clone(s.Values)
			s.Values[0].DriftPerYear = math.Abs(r.drift)
		}
		issuer := "Workshop"
		if r.accredited {
			issuer = accreditedBy
		}
		s.Certificate = reference.Certificate{
			Number:     fmt.Sprintf("K-%05d", 20417+113*i),
			Issuer:     issuer,
			On:         f.today.AddDate(0, 0, -r.certified),
			DueOn:      f.today.AddDate(0, 0, r.due),
			Accredited: r.accredited,
		}
		f.standards[r.tag] = s
		f.records = append(f.records, &s)
		f.certificates(s, r, i)
		if s.Cylinder != nil {
			f.gasBook(s)
		}
	}
}

// certificates are the current one and, for what is certified again and again, two before it.
func (f *filler) certificates(s ledger.Standard, r ref, i int) {
	chance := f.chance("certificates of " + r.tag)
	before := 2
	if s.Cylinder != nil || s.Lot != "" {
		before = 0 // used up, not certified again
	}
	months := max(1, int(s.Certificate.DueOn.Sub(s.Certificate.On).Hours()/24/30.4+0.5))
	for n := before; n >= 0; n-- {
		c := s.Certificate
		values := slices.Clone(s.Values)
		if n > 0 {
			c.On, c.DueOn = c.On.AddDate(0, -n*months, 0), c.DueOn.AddDate(0, -n*months, 0)
			c.Number = fmt.Sprintf("K-%05d", 20417+113*i-2900*n)
			moved(values, r, float64(n*months)/12, chance.NormFloat64())
		}
		f.records = append(f.records, &ledger.StandardCertificate{
			ID:          fmt.Sprintf("cert-%s-%d", r.tag, n),
			StandardID:  s.ID,
			Certificate: c,
			Values:      values,
			Parent:      s.Parent,
			EnteredBy:   "Tamsin Orrery",
		})
	}
}

// moved puts the first value back to where it was some years before, with a little chance.
func moved(values []reference.Certified, r ref, years, chance float64) {
	if len(values) > 0 && values[0].Piece == "" && values[0].From == 0 && values[0].To == 0 {
		values[0].Value -= r.drift*years - 0.1*values[0].U*chance
	}
}

// gasBook is a year of gauge readings: what runs took was metered; from HG-23 a
// night's worth of gas went without.
func (f *filler) gasBook(s ledger.Standard) {
	perBar := s.Cylinder.WaterVolumeL / 1.01325
	readings := 6
	used := []float64{18, 24, 15, 30, 21}
	bar := s.Cylinder.GaugeBar
	for _, l := range used {
		bar += l / perBar
	}
	lost := 0.0
	if s.Tag == "HG-23" {
		lost = 34
		bar += lost / perBar
	}
	by := []string{"Idris Vail", "Noor Bexley"}
	for n := range readings {
		g := &ledger.Gauge{
			ID:         fmt.Sprintf("gauge-%s-%d", s.Tag, n),
			StandardID: s.ID,
			At:         f.today.AddDate(0, 0, -34*(readings-1-n)-2).Add(16 * time.Hour),
			By:         by[n%2],
		}
		if n > 0 {
			g.MeteredL = used[n-1]
			bar -= used[n-1] / perBar
		}
		if n == readings-1 && lost > 0 {
			bar -= lost / perBar
			g.Note = "valve found open in the morning"
		}
		g.Bar = float64(int(bar*2+0.5)) / 2 // read to half a bar
		f.records = append(f.records, g)
	}
}

// preparedFor is the preparation that a role asks for, made an hour before.
func preparedFor(role reference.Role, on time.Time) []reference.Done {
	var all []reference.Done
	for _, p := range role.Prepared {
		if p.Here {
			continue // the run does it
		}
		all = append(all, reference.Done{
			Procedure: p.By,
			Finding:   p.Finding,
			Run:       "prepared",
			At:        on.Add(-time.Hour),
			By:        "Idris Vail",
			Passed:    true,
		})
	}
	return all
}

// Fitting is a standard of the scenario that fills a role, certified as of a day.
func Fitting(role reference.Role, on time.Time) reference.Standard {
	for _, r := range references {
		s := reference.Standard{ID: "std-" + r.tag, Tag: r.tag, Name: r.name, Kind: r.kind, Status: reference.Usable,
			Values: r.values, Cylinder: r.cylinder, Lot: r.lot,
			Certificate: reference.Certificate{Number: "K-" + r.tag, Issuer: accreditedBy, On: on.AddDate(0, -3, 0),
				DueOn: on.AddDate(0, 9, 0), Accredited: true}}
		s.Prepared = preparedFor(role, on)
		if len(role.Fits(s, on).Blocks) == 0 {
			return s
		}
	}
	return reference.Standard{}
}
