package workshop

import (
	"slices"
	"strings"
	"time"

	"northneedle/core/control"
	"northneedle/core/duty"
	"northneedle/core/interval"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/run"
	"northneedle/internal/ledger"
)

// ControlState is how the last controls of one analyte on one analyser stand.
type ControlState struct {
	Asset   string    `json:"asset" doc:"its tag"`
	Device  string    `json:"device"`
	Place   string    `json:"place"`
	Analyte string    `json:"analyte"`
	At      time.Time `json:"at"`
	Days    int       `json:"days" doc:"since the last control"`
	control.Verdict
}

// ControlLevel is one level of an analyte, with the lot in use.
type ControlLevel struct {
	Lot     string    `json:"lot"`
	LotID   string    `json:"lot_id"`
	Level   int       `json:"level"`
	Unit    string    `json:"unit"`
	Code    string    `json:"code" doc:"the unit in UCUM"`
	Mean    float64   `json:"mean"`
	SD      float64   `json:"sd"`
	Expires time.Time `json:"expires"`
	Expired bool      `json:"expired"`
	Allowed float64   `json:"allowed" doc:"total error, percent"`
	control.Performance
}

// ControlRunView is one control run with its verdict.
type ControlRunView struct {
	ID     string          `json:"id"`
	At     time.Time       `json:"at"`
	By     string          `json:"by"`
	Note   string          `json:"note,omitempty"`
	Begins string          `json:"begins,omitempty" doc:"why the series begins anew with it"`
	Points []control.Point `json:"points"`
	control.Verdict
}

// ControlChart is an analyte on an analyser over time.
type ControlChart struct {
	Asset    string           `json:"asset"`
	Device   string           `json:"device"`
	Analyte  string           `json:"analyte"`
	Analytes []string         `json:"analytes"`
	Levels   []ControlLevel   `json:"levels"`
	Runs     []ControlRunView `json:"runs"`
	Blocked  bool             `json:"blocked" doc:"the last run was rejected: no patient work"`
	LastGood *time.Time       `json:"last_good,omitempty" doc:"when controls were last accepted; what came after is in doubt"`
	Words    string           `json:"words"`

	Calibration *ActivityView `json:"calibration,omitempty" doc:"of this analyte, where it is kept here"`
}

// ControlEntry is one control run to record.
type ControlEntry struct {
	ID      string `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; sent again it changes nothing"`
	Analyte string `json:"analyte" minLength:"1" maxLength:"60"`
	Note    string `json:"note,omitempty" maxLength:"1000"`
	Action  string `json:"action,omitempty" maxLength:"200" doc:"what was done before it, after which the series begins anew"`
	Values  []struct {
		LotID string `json:"lot_id" maxLength:"60"`
		Text  string `json:"text" maxLength:"40" doc:"as it was typed"`
	} `json:"values" minItems:"1" maxItems:"6"`
}

// ControlStates are the last verdicts of every analyte, or of one analyser's; the rejected ones first.
func (ws *Workshop) ControlStates(asset string) ([]ControlState, error) {
	lots, err := ws.Ledger.ControlLots(asset, "")
	if err != nil {
		return nil, err
	}
	states := []ControlState{}
	type key struct{ asset, analyte string }
	seen := map[key]bool{}
	for _, lot := range lots {
		k := key{lot.AssetID, lot.Analyte}
		if seen[k] {
			continue
		}
		seen[k] = true
		a, err := ws.Ledger.Asset(lot.AssetID)
		if err != nil {
			return nil, err
		}
		chart, err := ws.ControlChart(a.Tag, lot.Analyte, 60)
		if err != nil {
			return nil, err
		}
		state := ControlState{
			Asset:   a.Tag,
			Device:  a.Maker + " " + a.Model,
			Place:   a.Place,
			Analyte: lot.Analyte,
			Verdict: control.Verdict{Fired: []control.Rule{}, Words: "No control in two months."},
			Days:    60,
		}
		if n := len(chart.Runs); n > 0 {
			last := chart.Runs[n-1]
			state.At, state.Verdict, state.Days = last.At, last.Verdict, -ws.days(last.At)
		}
		states = append(states, state)
	}
	rank := func(s ControlState) int {
		switch {
		case s.Rejected:
			return 0
		case s.Warning:
			return 1
		}
		return 2
	}
	slices.SortStableFunc(states, func(a, b ControlState) int { return rank(a) - rank(b) })
	return states, nil
}

// ControlChart is an analyte's controls on an analyser over a number of days; the first analyte where it has no
// such one.
func (ws *Workshop) ControlChart(tag, analyte string, days int) (ControlChart, error) {
	a, err := ws.Ledger.Asset(tag)
	if err != nil {
		return ControlChart{}, err
	}
	all, err := ws.Ledger.ControlLots(a.ID, "")
	if err != nil {
		return ControlChart{}, err
	}
	chart := ControlChart{
		Asset:    a.Tag,
		Device:   a.Maker + " " + a.Model,
		Analytes: []string{},
		Levels:   []ControlLevel{},
		Runs:     []ControlRunView{},
	}
	for _, lot := range all {
		if !slices.Contains(chart.Analytes, lot.Analyte) {
			chart.Analytes = append(chart.Analytes, lot.Analyte)
		}
	}
	if len(chart.Analytes) == 0 {
		return chart, ledger.ErrNotFound
	}
	if chart.Analyte = analyte; !slices.Contains(chart.Analytes, analyte) {
		chart.Analyte = chart.Analytes[0]
	}
	var lots []control.Lot
	units := map[string]string{}
	for _, lot := range all {
		if lot.Analyte == chart.Analyte {
			lots = append(lots, lot.Core())
			units[lot.ID] = lot.Unit
		}
	}
	values, err := ws.Ledger.ControlValues(a.ID, chart.Analyte, ws.Clock().AddDate(0, 0, -days))
	if err != nil {
		return chart, err
	}
	measured := make([]control.Value, len(values))
	entered := map[string]ledger.ControlValue{}
	for i, v := range values {
		measured[i] = control.Value{Run: v.RunID, Lot: v.LotID, At: v.At, Value: v.Value}
		entered[v.RunID] = v
	}
	starts, err := ws.controlStarts(a.ID, chart.Analyte, values)
	if err != nil {
		return chart, err
	}
	series := control.SeriesOf(lots, measured, starts...)
	chart.Blocked, chart.LastGood, chart.Words = series.Blocked, series.LastGood, series.Words
	for _, r := range series.Runs {
		chart.Runs = append(chart.Runs, ControlRunView{
			ID:      r.ID,
			At:      r.At,
			By:      entered[r.ID].By,
			Note:    entered[r.ID].Note,
			Begins:  r.Begins,
			Points:  r.Points,
			Verdict: r.Verdict,
		})
	}
	for _, lot := range control.InUse(lots, ws.Clock()) {
		chart.Levels = append(chart.Levels, ControlLevel{
			Lot:         lot.Number,
			LotID:       lot.ID,
			Level:       lot.Level,
			Unit:        quantity.ShowUnit(units[lot.ID]),
			Code:        units[lot.ID],
			Mean:        lot.Mean,
			SD:          lot.SD,
			Expires:     lot.Expires,
			Expired:     lot.Expired(ws.Clock()),
			Allowed:     lot.Allowed,
			Performance: lot.Performance(measured),
		})
	}
	chart.Calibration, err = ws.calibration(a.ID, chart.Analyte)
	return chart, err
}

// controlStarts returns the calibrations of an analyte on an analyser, and the corrective actions noted with its control runs,
// since the first of the values.
func (ws *Workshop) controlStarts(asset, analyte string, values []ledger.ControlValue) ([]control.Start, error) {
	var starts []control.Start
	for i, v := range values {
		if v.Action != "" && (i == 0 || values[i-1].RunID != v.RunID) {
			starts = append(starts, control.Start{At: v.At, Why: v.Action})
		}
	}
	if len(values) == 0 {
		return starts, nil
	}
	all, err := ws.Ledger.Activities(asset)
	if err != nil {
		return nil, err
	}
	var calibrations []string
	for _, a := range all {
		if ws.calibrates(a.Procedure, analyte) {
			calibrations = append(calibrations, a.ID)
		}
	}
	corrections, err := ws.Ledger.Corrections(asset)
	if err != nil {
		return nil, err
	}
	for _, c := range corrections {
		if c.Test == analyte {
			starts = append(starts, control.Start{At: c.At, Why: "correction set"})
		}
	}
	done, err := ws.Ledger.DoneNotes(calibrations, values[0].At)
	for _, n := range done {
		starts = append(starts, control.Start{At: n.At, Why: "calibrated"})
	}
	return starts, err
}

// RecordControls records a control run. Where it is rejected, a look-back opens and the analyte's calibration is in
// doubt.
func (ws *Workshop) RecordControls(tag string, e ControlEntry, who person.Person) error {
	a, err := ws.Ledger.Asset(tag)
	if err != nil {
		return err
	}
	lots, err := ws.Ledger.ControlLots(a.ID, e.Analyte)
	if err != nil {
		return err
	}
	now := ws.Clock()
	var values []ledger.ControlValue
	for i, given := range e.Values {
		at := slices.IndexFunc(lots, func(l ledger.ControlLot) bool { return l.ID == given.LotID })
		if at < 0 {
			return invalid("values", "There is no such lot of controls for this analyte.")
		}
		lot := lots[at]
		if interval.Past(lot.Expires, now) {
			return invalid("values", "Lot "+lot.Lot+" expired on "+lot.Expires.Format(time.DateOnly)+
				": open a new one, and enter its mean and SD.")
		}
		v, err := quantity.ParseNumber(given.Text)
		if err != nil {
			return invalid("values", "Level "+string(rune('0'+lot.Level))+": "+Sentence(err)+" Nothing was recorded.")
		}
		for _, earlier := range e.Values[:i] {
			if earlier.LotID == given.LotID {
				return invalid("values", "Lot "+lot.Lot+" stands twice.")
			}
		}
		values = append(values, ledger.ControlValue{
			RunID:   e.ID,
			LotID:   lot.ID,
			AssetID: a.ID,
			Analyte: e.Analyte,
			At:      now,
			Value:   v,
			By:      who.Name,
			Note:    e.Note,
			Action:  strings.TrimSpace(e.Action),
		})
	}
	if err := ws.Ledger.RecordControls(ws.act(e.ID, "controls recorded", who, e.Note), values); err != nil {
		return err
	}
	if err := ws.calibrationInDoubt(a, e.ID, e.Analyte, who); err != nil {
		return err
	}
	ws.changes.tell("", 0)
	return nil
}

// calibrationInDoubt makes the calibration of an analyte invalid whose control was rejected, by the run or entry of an id.
func (ws *Workshop) calibrationInDoubt(a ledger.Asset, id, analyte string, who person.Person) error {
	chart, err := ws.ControlChart(a.Tag, analyte, 730)
	if err != nil || !chart.Blocked {
		return err
	}
	if err := ws.controlRejected(a, chart, who); err != nil {
		return err
	}
	return ws.undone(a.ID, "control-"+id, duty.FailedCheck, analyte+" control: "+chart.Words, who,
		func(act ledger.Activity) bool { return ws.calibrates(act.Procedure, analyte) })
}

// controlsOf draws the consequences of the controls that were measured in a signed run; drawn again they change nothing.
func (ws *Workshop) controlsOf(r run.Run, who person.Person) error {
	seen := map[string]bool{}
	for _, c := range r.ControlReadings() {
		if seen[c.Analyte] {
			continue
		}
		seen[c.Analyte] = true
		a, err := ws.Ledger.Asset(r.Device.ID)
		if err != nil {
			return err
		}
		if err := ws.calibrationInDoubt(a, r.ID+"-"+procedure.Slug(c.Analyte), c.Analyte, who); err != nil {
			return err
		}
	}
	return nil
}

// calibrates reports whether a procedure is an analyte's calibration.
func (ws *Workshop) calibrates(id, analyte string) bool {
	return slices.ContainsFunc(ws.procedures(), func(p *procedure.Procedure) bool {
		return p.ID == id &&
			slices.Contains(p.Calibrates, analyte)
	})
}

// calibration is how an analyte's calibration on an analyser stands; nil where none is kept here.
func (ws *Workshop) calibration(asset, analyte string) (*ActivityView, error) {
	all, err := ws.Ledger.Activities(asset)
	for _, a := range all {
		if ws.calibrates(a.Procedure, analyte) {
			v := ws.activityView(a)
			return &v, err
		}
	}
	return nil, err
}

// BlockView is something that keeps a device from patient work.
type BlockView struct {
	Words   string `json:"words"`
	Analyte string `json:"analyte,omitempty" doc:"whose control is rejected"`
}

// blocked says which controls of an analyser are rejected, so that no patient work is done on it.
func (ws *Workshop) blocked(asset string) ([]BlockView, error) {
	states, err := ws.ControlStates(asset)
	blocks := []BlockView{}
	for _, s := range states {
		if s.Rejected {
			blocks = append(blocks, BlockView{"Control of " + s.Analyte + ": " + s.Words, s.Analyte})
		}
	}
	return blocks, err
}
