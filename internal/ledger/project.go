package ledger

import (
	"slices"
	"time"

	"northneedle/core/conformity"
	"northneedle/core/run"
	"northneedle/core/runview"

	"gorm.io/gorm"
)

// project brings the read models up to date with a run, in the events' transaction, and
// draws the consequences of its being signed.
func project(w *writer, r run.Run, events []run.Event, head string) error {
	ended, err := projectRun(w.tx, r, events, head)
	if err == nil && ended && r.Status == run.Signed && r.TakenIn == nil {
		err = follow(w, r)
	}
	return err
}

// projectRun writes what is computed from the run's events, and no more: it can be done
// again at any time. It says whether an event among them ended the run. What other rows
// say of a run is not in its own events, and stays.
func projectRun(tx *gorm.DB, r run.Run, events []run.Event, head string) (ended bool, err error) {
	now := events[len(events)-1].At
	row := runRow(r, now, head)
	columns := goesOn
	if ended = slices.ContainsFunc(events, ends); ended {
		columns = append(slices.Clone(goesOn), whenEnded...)
	}
	if _, opens := events[0].Fact.(run.RunOpened); opens {
		err = tx.Omit("found", "found_out", "replaced_by").Save(row).Error
	} else {
		err = tx.Model(row).Select(columns).Updates(row).Error
	}
	if err != nil {
		return ended, err
	}
	loose := false
	for _, e := range events {
		switch f := e.Fact.(type) {
		case run.OpenItemAdded, run.OpenItemClosed:
			loose = true
		case run.StandardBound:
			if err := tx.Create(&Use{
				RunID:      r.ID,
				StandardID: f.Standard.ID,
				Role:       f.Role,
				At:         e.At,
			}).Error; err != nil {
				return ended, err
			}
		}
	}
	if loose {
		if err := projectOpenItems(tx, r); err != nil {
			return ended, err
		}
	}
	if ended {
		err = projectResults(tx, r)
	}
	return ended, err
}

// goesOn are the columns of a run's row that change while it goes on, and none of them is in an index: every reading
// writes them. whenEnded are those that change besides when it ends, or goes on after all.
var (
	goesOn    = []string{"now", "seq", "head", "loose", "loose_since", "timer_title", "timer_start", "timer_until"}
	whenEnded = []string{"status", "result", "reviewer", "ended_at", "given_back_result", "given_back_at"}
)

// ends reports whether a run ends by an event, or goes on again after it had ended.
func ends(e run.Event) bool {
	switch e.Fact.(type) {
	case run.RunSigned, run.RunReviewed, run.RunReturned, run.RunAbandoned:
		return true
	}
	return false
}

func runRow(run run.Run, now time.Time, head string) *Run {
	v := runview.BriefOf(run, now)
	row := &Run{ID: run.ID, AssetID: run.Device.ID, Tag: run.Device.Tag, Maker: run.Device.Maker,
		Model: run.Device.Model, Site: run.Device.Site, Place: run.Device.Place,
		Family: run.Device.Family, Procedure: run.Procedure.ID, Title: run.Procedure.Title,
		Revision: run.Procedure.Revision, Hash: run.Hash,
		Status: run.Status, OpenedAt: run.OpenedAt, ByID: run.OpenedBy.ID, By: run.OpenedBy.Name, Now: v.Now,
		Seq: run.Seq, Head: head}
	for _, end := range run.OpenItems {
		if end.ClosedAt.IsZero() {
			row.Loose++
			if row.LooseSince == nil || end.OpenedAt.Before(*row.LooseSince) {
				row.LooseSince = &end.OpenedAt
			}
		}
	}
	if t := v.Timer; t != nil {
		row.TimerTitle, row.TimerStart, row.TimerUntil = t.Title, &t.Started, &t.Until
	}
	if s := run.Signature; s != nil {
		row.Result, row.Reviewer, row.EndedAt = s.Result, s.Reviewer, &s.At
	} else if s := run.GivenBack; s != nil {
		row.GivenBackResult, row.GivenBackAt = s.Result, &s.At
	}
	return row
}

func projectOpenItems(tx *gorm.DB, run run.Run) error {
	if err := tx.Where("run_id = ?", run.ID).Delete(&OpenItem{}).Error; err != nil {
		return err
	}
	for _, end := range run.OpenItems {
		if !end.ClosedAt.IsZero() {
			continue
		}
		if err := tx.Create(&OpenItem{
			RunID:    run.ID,
			What:     end.What,
			Tag:      run.Device.Tag,
			By:       end.By.Name,
			OpenedAt: end.OpenedAt,
		}).Error; err != nil {
			return err
		}
	}
	return nil
}

// projectResults writes the results of a signed run and the parts that it fitted, and takes out those of any other.
func projectResults(tx *gorm.DB, r run.Run) error {
	for _, model := range []any{&Result{}, &Fitting{}} {
		if err := tx.Where("run_id = ?", r.ID).Delete(model).Error; err != nil {
			return err
		}
	}
	if r.Status != run.Signed {
		return nil
	}
	if rows := resultRows(r); len(rows) > 0 {
		if err := tx.CreateInBatches(rows, 100).Error; err != nil {
			return err
		}
	}
	for _, p := range r.Fitted() {
		if err := tx.Create(&Fitting{RunID: r.ID, AssetID: r.Device.ID, At: r.Signature.At, Part: p.Title, Amount: p.Amount,
			Number: p.Number, Lot: p.Lot}).Error; err != nil {
			return err
		}
	}
	if r.Replaces != "" {
		if err := tx.Model(&Run{}).Where("id = ?", r.Replaces).Update("replaced_by", r.ID).Error; err != nil {
			return err
		}
	}
	return countFound(tx, "id = ?", r.ID)
}

// countFound counts, for the runs that a condition names, the points read as found and
// those of them outside their limits.
func countFound(tx *gorm.DB, where string, args ...any) error {
	of := "(SELECT count(*) FROM results WHERE results.run_id = runs.id AND results.phase = ?"
	out := []conformity.Zone{conformity.Outside, conformity.OutsideDoubtful}
	return tx.Model(&Run{}).Where(where, args...).Updates(map[string]any{"found": gorm.Expr(of+")", run.AsFound),
		"found_out": gorm.Expr(of+" AND results.zone IN ?)", run.AsFound, out)}).Error
}

func resultRows(r run.Run) []Result {
	var rows []Result
	view := runview.Of(r, r.Signature.At)
	for _, m := range view.Measures {
		if view.About(m) != "" { // nothing of the device
			continue
		}
		for _, p := range m.Points {
			for _, v := range []*runview.VerdictView{p.Found, p.Left} {
				if v == nil || v.Absent != "" { // what did not come has no error that a trend could go by
					continue
				}
				rows = append(rows, Result{RunID: r.ID, AssetID: r.Device.ID, At: r.Signature.At, Measure: m.ID,
					Point: p.ID, Label: m.Title + " " + p.Label, Unit: m.Unit,
					Phase: v.Phase, Reference: v.Reference, Indicated: v.Indicated, Error: v.Error, Low: v.Low,
					High: v.High, U: v.U, Zone: v.Zone, ErrorToLimit: v.ErrorToLimit, UToLimit: v.UToLimit})
			}
		}
	}
	return rows
}
