package workshop

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/duty"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/ledger"
)

// TestView is one test of an analyser: how its calibration stands, and what that was made with.
type TestView struct {
	Test      string `json:"test"`
	Title     string `json:"title"`
	Procedure string `json:"procedure"`
	duty.Standing
	At         *time.Time      `json:"at,omitempty" doc:"when it was calibrated last"`
	Run        string          `json:"run,omitempty"`
	DueOn      *time.Time      `json:"due_on,omitempty"`
	Lots       []TestLot       `json:"lots" doc:"that it was calibrated with"`
	Figures    []TestFigure    `json:"figures" doc:"factor, absorbance, concentration"`
	Control    string          `json:"control,omitempty" doc:"how its controls stand"`
	Stopped    bool            `json:"stopped" doc:"no patient sample"`
	Correction *CorrectionView `json:"correction,omitempty" doc:"against a reference method, where one is set"`
	Unit       string          `json:"unit" doc:"that results are in, UCUM"`
}

// TestLot is a lot that a test was calibrated with.
type TestLot struct {
	Role    string    `json:"role"`
	Lot     string    `json:"lot"`
	Expires time.Time `json:"expires"`
	Expired bool      `json:"expired"`
}

// TestFigure is a figure of a calibration, beside that of the calibration before.
type TestFigure struct {
	procedure.Figure
	Words  string   `json:"words"`
	Change *float64 `json:"change,omitempty" doc:"percent, since the calibration before"`
}

// CorrectionView is a correction of a test with what it rests on.
type CorrectionView struct {
	Words   string    `json:"words"`
	At      time.Time `json:"at"`
	By      string    `json:"by"`
	Against string    `json:"against"`
	N       int       `json:"n"`
}

// CorrectionOrder sets a correction of a test against a reference method.
type CorrectionOrder struct {
	ID      string `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; sent again it changes nothing"`
	Pairs   string `json:"pairs" maxLength:"100000" doc:"a line a sample: reference method, method under test, in the unit of the test"`
	Against string `json:"against" maxLength:"200" doc:"the reference method, and where it was measured"`
	Why     string `json:"why" maxLength:"1000"`
}

// fewestPairs is how many samples a correction rests on at least. CLSI EP09 asks for 40; a bench test with fewer than 20 shows no
// interval that a factor could be set by.
const fewestPairs = 20

// tests are the tests of an analyser, in the order of its duties; none for a device without any.
func (ws *Workshop) tests(a ledger.Asset) ([]TestView, error) {
	views := []TestView{}
	all, err := ws.Ledger.Activities(a.ID)
	if err != nil {
		return views, err
	}
	all = slices.DeleteFunc(all, func(act ledger.Activity) bool { return act.Duty.Test == "" })
	if len(all) == 0 {
		return views, nil
	}
	slices.SortFunc(all, func(a, b ledger.Activity) int { return strings.Compare(a.Duty.Test, b.Duty.Test) })
	corrections, err := ws.Ledger.Corrections(a.ID)
	if err != nil {
		return views, err
	}
	controls, err := ws.ControlStates(a.ID)
	if err != nil {
		return views, err
	}
	for _, act := range all {
		v := TestView{Test: act.Duty.Test, Title: act.Title, Procedure: act.Procedure, Standing: act.Duty.Stands(act.State(), ws.Clock()),
			At: act.LastOn, Lots: []TestLot{}, Figures: []TestFigure{}}
		if duty.HasDay(act.DueOn) {
			v.DueOn = &act.DueOn
		}
		v.Stopped = act.Duty.Stops(v.Standing) || v.Status == duty.Never
		for _, c := range controls {
			if c.Analyte == v.Test {
				v.Control, v.Stopped = c.Words, v.Stopped || c.Rejected
			}
		}
		for _, c := range corrections {
			if c.Test == v.Test && v.Correction == nil {
				v.Correction = &CorrectionView{correctionWords(c), c.At, c.By, c.Against, c.N}
			}
		}
		if p := ws.procedureOf(act.Procedure); p != nil {
			v.Unit = ws.resultUnit(a, p)
		}
		if err := ws.calibratedWith(&v, a.ID); err != nil {
			return views, err
		}
		views = append(views, v)
	}
	return views, nil
}

// KeptView is what the last good run of a procedure came to, and is reckoned with until the next, or until something
// happens that makes that run due: a dead space, a gain.
type KeptView struct {
	Title   string    `json:"title"` // of the procedure
	Run     string    `json:"run"`
	At      time.Time `json:"at"`
	Figures []string  `json:"figures"` // in words

	Corrects *LineView `json:"corrects,omitempty" doc:"the line that is taken out of later readings"`
}

// LineView is what a run found shown for what was delivered, as a later reading is corrected by it.
type LineView struct {
	Title string  `json:"title"` // of such a reading
	Unit  string  `json:"unit"`
	Text  string  `json:"text" doc:"a line a point: delivered, shown"`
	U     float64 `json:"u" doc:"expanded, of the largest that was delivered"`
}

// lineOf is the line that a run keeps for later readings; nil where it keeps none.
func lineOf(r run.Run, view runview.View) *LineView {
	for _, f := range r.Procedure.Findings() {
		if f.Corrects == "" {
			continue
		}
		line, largest := LineView{Title: f.Corrects}, 0.0
		for _, m := range view.Measures {
			for _, p := range m.Points {
				v := cmp.Or(p.Left, p.Found)
				if m.Finding != f.ID || v == nil {
					continue
				}
				line.Unit = m.Shown
				line.Text += fmt.Sprintf("%g\t%g\n", v.Reference, v.Indicated)
				if v.Reference > largest {
					largest, line.U = v.Reference, v.U
				}
			}
		}
		return &line
	}
	return nil
}

// undoneSince reports whether something happened to a device after a time that makes a procedure's duty due again.
func undoneSince(procedure string, at time.Time, duties []ledger.Activity, notes []ledger.ActivityNote) bool {
	return slices.ContainsFunc(notes, func(n ledger.ActivityNote) bool {
		return n.Kind == ledger.NoteEvent && n.At.After(at) && slices.ContainsFunc(duties, func(a ledger.Activity) bool {
			return a.Procedure == procedure && slices.Contains(a.Duty.On, duty.Event(n.Event))
		})
	})
}

// kept is what is kept on a device from the last good run of each of its procedures that came to figures; those of single tests
// stand with the tests.
func (ws *Workshop) kept(a ledger.Asset) ([]KeptView, error) {
	views := []KeptView{}
	runs, err := ws.Ledger.RunsOf(a.ID, mostRuns)
	if err != nil {
		return views, err
	}
	duties, err := ws.Ledger.Activities(a.ID)
	if err != nil {
		return views, err
	}
	notes, err := ws.Ledger.ActivityNotes(a.ID, mostRuns)
	if err != nil {
		return views, err
	}
	seen := map[string]bool{}
	for _, row := range runs { // the newest first
		p := ws.procedureOf(row.Procedure)
		if p == nil || p.Test != "" || seen[p.ID] || row.Status != run.Signed || !row.Result.Passed() || row.ReplacedBy != "" || row.Paper {
			continue
		}
		if seen[p.ID] = true; !p.KeepsFigures() {
			continue
		}
		r, err := ws.Ledger.Run(row.ID)
		if err != nil {
			return views, err
		}
		if undoneSince(p.ID, r.Signature.At, duties, notes) {
			continue
		}
		view := runview.Of(r, ws.Clock())
		v := KeptView{Title: p.Title, Run: r.ID, At: r.Signature.At, Corrects: lineOf(r, view)}
		for _, f := range figuresOf(view) {
			v.Figures = append(v.Figures, f.Words())
		}
		if len(v.Figures) > 0 {
			views = append(views, v)
		}
	}
	return views, nil
}

// procedureOf is a procedure by its id; nil where there is none.
func (ws *Workshop) procedureOf(id string) *procedure.Procedure {
	for _, p := range ws.procedures() {
		if p.ID == id {
			return p
		}
	}
	return nil
}

// resultUnit is the unit that an analyser gives the results of a test in.
func (ws *Workshop) resultUnit(a ledger.Asset, p *procedure.Procedure) string {
	for _, m := range p.Measures() {
		if m.Chart == nil {
			continue
		}
		if unit := a.Settings["unit."+m.Quantity]; unit != "" {
			return unit
		}
		return m.Unit
	}
	return "1"
}

// calibratedWith adds what the newest calibration of a test was made with, and how its figures moved since the one before.
func (ws *Workshop) calibratedWith(v *TestView, asset string) error {
	runs, err := ws.Ledger.RunsOf(asset, 200)
	if err != nil {
		return err
	}
	var last, before []procedure.Figure
	for _, row := range runs {
		if row.Procedure != v.Procedure || row.Status != run.Signed || !row.Result.Passed() || row.ReplacedBy != "" || row.Paper {
			continue
		}
		r, err := ws.Ledger.Run(row.ID)
		if err != nil {
			return err
		}
		view := runview.Of(r, ws.Clock())
		if v.Run != "" {
			before = figuresOf(view)
			break
		}
		v.Run, last = r.ID, figuresOf(view)
		for _, role := range view.Roles {
			if role.Standard != nil && role.Standard.Lot != "" {
				v.Lots = append(v.Lots, TestLot{role.Title, role.Standard.Lot, role.Standard.Certificate.DueOn,
					role.Standard.Certificate.DueOn.Before(dayOf(ws.Clock()))})
			}
		}
	}
	for _, f := range last {
		figure := TestFigure{Figure: f, Words: f.Words()}
		if at := slices.IndexFunc(before, func(b procedure.Figure) bool { return b.ID == f.ID }); at >= 0 && before[at].Value != 0 &&
			before[at].Unit == f.Unit {
			change := 100 * (f.Value/before[at].Value - 1)
			figure.Change = &change
		}
		v.Figures = append(v.Figures, figure)
	}
	return nil
}

// figuresOf are the figures that a run's findings came to.
func figuresOf(view runview.View) (all []procedure.Figure) {
	for _, f := range view.Findings {
		if f.Seen != nil {
			all = append(all, f.Seen.Figures...)
		}
	}
	return all
}

// correctionWords is a correction in a sentence, with its intervals.
func correctionWords(c ledger.TestCorrection) string {
	return strings.TrimSpace(fmt.Sprintf("corrected = (found − %.3g) ÷ %.4g; slope %.4g to %.4g, intercept %.3g to %.3g %s (95 %%, %d samples)",
		c.Intercept, c.Slope, c.SlopeLow, c.SlopeHigh, c.InterceptLow, c.InterceptHigh, quantity.ShowUnit(c.Unit), c.N))
}

// SetCorrection compares the samples of an order and stores the slope and intercept as the correction of a test. The control
// chart of the test starts a new series at that time.
func (ws *Workshop) SetCorrection(tag, test string, o CorrectionOrder, who person.Person) error {
	a, err := ws.Ledger.Asset(tag)
	if err != nil {
		return err
	}
	all, err := ws.tests(a)
	if err != nil {
		return err
	}
	at := slices.IndexFunc(all, func(v TestView) bool { return v.Test == test })
	if at < 0 {
		return invalid("test", a.Tag+" has no test of that name.")
	}
	if strings.TrimSpace(o.Against) == "" {
		return invalid("against", "Name the reference method, and where it was measured.")
	}
	if strings.TrimSpace(o.Why) == "" {
		return invalid("why", "Say why it is set, and what was entered into the analyser.")
	}
	compared, err := CompareMethods(ComparisonInput{Text: o.Pairs})
	switch {
	case err != nil:
		return invalid("pairs", strings.TrimSpace(err.Error()))
	case compared.N < fewestPairs:
		return invalid("pairs", fmt.Sprintf("A correction rests on %d samples at least, over the range that is measured; there are %d.",
			fewestPairs, compared.N))
	case !compared.SlopeDiffers && !compared.OffsetDiffers:
		return invalid("pairs", "No difference stands out from the scatter: there is nothing to correct.")
	case !(compared.Slope > 0.5 && compared.Slope < 2):
		return invalid("pairs", fmt.Sprintf("A slope of %.3g is no correction but a fault, or one method in another unit.", compared.Slope))
	}
	c := ledger.TestCorrection{ID: o.ID, AssetID: a.ID, Test: test, Slope: compared.Slope, Intercept: compared.Intercept,
		SlopeLow: compared.SlopeCI[0], SlopeHigh: compared.SlopeCI[1], InterceptLow: compared.InterceptCI[0],
		InterceptHigh: compared.InterceptCI[1], N: compared.N, Unit: all[at].Unit, Pairs: o.Pairs,
		Against: strings.TrimSpace(o.Against), Why: strings.TrimSpace(o.Why), At: ws.Clock(), By: who.Name}
	if err := ws.Ledger.Record(ws.act(o.ID, "correction set", who, c.Why), &c); err != nil {
		return err
	}
	ws.changes.tell("", 0)
	return nil
}
