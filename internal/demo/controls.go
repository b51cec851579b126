package demo

import (
	"fmt"
	"time"

	"northneedle/core/duty"
	"northneedle/internal/ledger"
)

// analyte is something an analyser of a family is controlled for, by level.
type analyte struct {
	family, name, unit string
	means              []float64
	cv, allowed        float64 // percent
}

var analytes = []analyte{
	{"photometer", "glucose", "mmol/L", []float64{4.9, 14.8}, 2.1, 10},
	{"photometer", "cholesterol", "mmol/L", []float64{3.9, 7.1}, 2.4, 9},
	{"photometer", "creatinine", "umol/L", []float64{88, 420}, 3.2, 15},
	{"blood-gas-analyser", "pH", "[pH]", []float64{7.16, 7.40, 7.58}, 0.07, 0.54},
	{"blood-gas-analyser", "pCO2", "mm[Hg]", []float64{66, 41, 22}, 1.9, 8},
	{"blood-gas-analyser", "pO2", "mm[Hg]", []float64{62, 101, 148}, 2.3, 10},
}

// controlYears is how far back the demo's controls go.
const controlYears = 2

// controls are two years of control runs on the first analyser of each family: working
// days, a new lot every nine months, and a glucose that wanders up in the last weeks
// until it is rejected.
func (f *filler) controls() error {
	for _, an := range analytes {
		assets := f.of(an.family)
		if len(assets) == 0 {
			continue
		}
		if err := f.series(assets[0], an); err != nil {
			return err
		}
	}
	return f.rejected(f.of("photometer"))
}

// rejected is what the glucose that wandered did to the calibration of its photometer.
func (f *filler) rejected(photometers []ledger.Asset) error {
	if len(photometers) == 0 {
		return nil
	}
	a := photometers[0]
	act, err := f.ledger.Activity("act-" + a.Tag + "-calibration")
	if err != nil {
		return err
	}
	yesterday := f.today.AddDate(0, 0, -1)
	act.Undone = duty.Undone{At: &yesterday, What: string(duty.FailedCheck), Note: "glucose control rejected"}
	act.Reason, act.DueOn = act.Undone.Words(), yesterday
	return f.ledger.ChangeActivities(f.act("noor", "event noted", yesterday.Add(7*time.Hour)),
		[]ledger.ActivityNote{{ID: "note-" + a.Tag + "-rejected", ActivityID: act.ID, AssetID: a.ID,
			At: yesterday.Add(7 * time.Hour), By: "Noor Bexley", Kind: ledger.NoteEvent,
			Event: string(duty.FailedCheck), Text: "glucose control rejected"}}, &act)
}

func (f *filler) series(a ledger.Asset, an analyte) error {
	chance := f.chance("controls " + a.Tag + an.name)
	start := f.today.AddDate(-controlYears, 0, 0)
	var lots []ledger.ControlLot
	var records []any
	for n, from := 0, start; from.Before(f.today); n, from = n+1, from.AddDate(0, 9, 0) {
		for level, mean := range an.means {
			m := mean * (1 + 0.01*chance.NormFloat64())
			if an.name == "pH" {
				m = mean + 0.004*chance.NormFloat64()
			}
			lot := ledger.ControlLot{ID: fmt.Sprintf("lot-%s-%s-%d-%d", a.Tag, an.name, level+1, n), AssetID: a.ID,
				Analyte: an.name, Level: level + 1,
				Lot:  fmt.Sprintf("C%d-%02d%02d", level+1, from.Year()%100, int(from.Month())),
				Unit: an.unit, Mean: m, SD: m * an.cv / 100, Allowed: an.allowed, From: from,
				Expires: from.AddDate(0, 11, 0)}
			lots = append(lots, lot)
			records = append(records, &lot)
		}
	}
	kept, err := f.ledger.ControlLots(a.ID, an.name)
	if err != nil {
		return err
	}
	if len(kept) > 0 { // runs have put their controls on the chart already: the days between go by the same lots
		lots, records = kept, nil
	}
	if err := f.ledger.Save(records...); err != nil {
		return err
	}
	by := []string{"Idris Vail", "Noor Bexley", "Fenn Castellan"}
	var values []ledger.ControlValue
	for day := start; day.Before(f.today); day = day.AddDate(0, 0, 1) {
		if day.Weekday() == time.Sunday || day.Weekday() == time.Saturday {
			continue
		}
		at := day.Add(7*time.Hour + time.Duration(chance.IntN(90))*time.Minute)
		drift := 0.0
		if left := f.today.Sub(day).Hours() / 24; an.name == "glucose" && left < 25 {
			drift = (25 - left) * 0.11
		}
		id := fmt.Sprintf("control-%s-%s-%s", a.Tag, an.name, day.Format("20060102"))
		for level := range an.means {
			lot := inUse(lots, level+1, day)
			if lot.ID == "" {
				continue
			}
			z := 0.85*chance.NormFloat64() + drift
			values = append(values, ledger.ControlValue{
				RunID:   id,
				LotID:   lot.ID,
				AssetID: a.ID,
				Analyte: an.name,
				At:      at,
				Value:   lot.Mean + z*lot.SD,
				By:      by[chance.IntN(3)],
			})
		}
	}
	return f.ledger.RecordControls(f.act("idris", "controls recorded", f.today), values)
}

func inUse(lots []ledger.ControlLot, level int, day time.Time) (in ledger.ControlLot) {
	for _, lot := range lots {
		if lot.Level == level && !lot.From.After(day) {
			in = lot
		}
	}
	return in
}
