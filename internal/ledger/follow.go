package ledger

import (
	"errors"
	"fmt"

	"northneedle/core/duty"
	"northneedle/core/run"
)

// follow writes what follows from a signed run: the device's status, its due days, a look-back. It runs once, when the run
// is signed. Rebuilding the tables does not call it, so that what people decided afterwards stays.
func follow(w *writer, r run.Run) error {
	asset, err := one[Asset](w.tx.Where("id = ?", r.Device.ID))
	if err != nil && !errors.Is(err, ErrNotFound) {
		return err
	}
	if err == nil {
		if err := stands(w, r, asset); err != nil {
			return err
		}
	}
	for _, follows := range []func(*writer, run.Run) error{counted, settleActivities, setBack, happened, chartControls,
		openOnDevice} {
		if err := follows(w, r); err != nil {
			return err
		}
	}
	return w.done(Act{
		Kind: "followed from a signed run",
		By:   r.Signature.By,
		At:   r.Signature.At,
		Why:  string(r.Signature.Result) + ", run " + r.ID,
	})
}

// stands brings a device's status and the version of its software up to date with a signed run on it. One that measured
// nothing brings nothing back into use.
func stands(w *writer, r run.Run, asset Asset) error {
	was := asset
	switch result := r.Signature.Result; {
	case result == run.NotComplete || r.Procedure.Test != "" || result == run.Maintained:
	case result.Passed():
		asset.Status, asset.Why = InUse, ""
	default:
		asset.Status = OutOfUse
	}
	if version := r.Software(); version != "" && version != was.Software {
		asset.Software = version
		if was.Software != "" {
			words := fmt.Sprintf("from %s to %s, read in a run", was.Software, version)
			if err := undone(w, r, duty.NewSoftware, words); err != nil {
				return err
			}
		}
	}
	if asset.Status == was.Status && asset.Why == was.Why && asset.Software == was.Software {
		return nil
	}
	return w.save(&asset)
}

// recurringOn are the activities of a run's device.
func recurringOn(w *writer, r run.Run) ([]Activity, error) {
	return many[Activity](w.tx.Where("asset_id = ? AND active = ?", r.Device.ID, true).Order("id"))
}

// became keeps what a signed run made of activities of its device, with a note of it. The note's id is told from others of the
// run by what is given of it.
func became(w *writer, r run.Run, note ActivityNote, changed ...*Activity) error {
	note.ID, note.AssetID, note.RunID = r.ID+"-"+note.ID, r.Device.ID, r.ID
	note.At, note.By = r.Signature.At, r.Signature.By.Name
	if err := w.save(&note); err != nil {
		return err
	}
	for _, a := range changed {
		if err := w.save(a); err != nil {
			return err
		}
	}
	return nil
}

// settleActivities brings what recurs on a device up to date with a signed run.
func settleActivities(w *writer, r run.Run) error {
	if r.Signature.Result == run.NotComplete {
		return nil
	}
	all, err := recurringOn(w, r)
	if err != nil {
		return err
	}
	passed := r.Signature.Result.Passed()
	changed, done, err := duty.Settle(Recurrings(all), r.Procedure.ID, r.Signature.At, passed, r.Next())
	if err != nil || done < 0 {
		return err
	}
	was := all[done]
	note := ActivityNote{ID: was.ID, ActivityID: was.ID, Kind: NoteDone, Text: string(r.Signature.Result), DueOn: was.DueDay()}
	if !passed {
		note.Kind = NoteFailed
	}
	return became(w, r, note, Adopted(all, changed)...)
}

// happened undoes the duties that what was done in a signed run makes due: legal re-verification, where a seal was broken.
func happened(w *writer, r run.Run) error {
	for _, h := range r.Happened() {
		if err := undone(w, r, h.Event, h.Words); err != nil {
			return err
		}
	}
	return nil
}

// undone undoes the duties of a run's device that an event makes due.
func undone(w *writer, r run.Run, event duty.Event, words string) error {
	all, err := recurringOn(w, r)
	if err != nil {
		return err
	}
	changed := Adopted(all, duty.Happened(Recurrings(all), event, words, r.Signature.At))
	note := ActivityNote{ID: string(event), Kind: NoteEvent, Event: string(event), Text: words}
	if len(changed) > 0 {
		note.ActivityID = changed[0].ID
	}
	return became(w, r, note, changed...)
}

// counted takes over what the counters of a signed run's device showed: the duties that go by them are due when used up.
func counted(w *writer, r run.Run) error {
	return counters(w, r, func(d *duty.Recurring, c run.Count) (what, words string) {
		d.Counted(c.Shows, r.Signature.At)
		return "counted", fmt.Sprintf("the counter shows %g %s", c.Shows, c.Of)
	})
}

// setBack notes the counters that were set back in a signed run, after what it did was done.
func setBack(w *writer, r run.Run) error {
	return counters(w, r, func(d *duty.Recurring, c run.Count) (what, words string) {
		if !c.SetBack {
			return "", ""
		}
		d.SetBack(r.Signature.At)
		return "set-back", "the counter was set back to 0 " + c.Of
	})
}

// counters brings the duties that go by a counter read in a run up to date; take says what became of one, as part of an id
// and in words, or nothing where it stays.
func counters(w *writer, r run.Run, take func(*duty.Recurring, run.Count) (what, words string)) error {
	counts := r.Counts()
	if len(counts) == 0 {
		return nil
	}
	all, err := recurringOn(w, r)
	if err != nil {
		return err
	}
	for _, count := range counts {
		for i := range all {
			a := &all[i]
			if !a.Duty.GoesBy(count.Of) {
				continue
			}
			d := a.Recurring()
			what, words := take(&d, count)
			if what == "" {
				continue
			}
			note := ActivityNote{ID: what + "-" + a.ID, ActivityID: a.ID, Kind: NoteUse, Text: words, Amount: d.Used - a.Used}
			a.Adopt(d)
			if err := became(w, r, note, a); err != nil {
				return err
			}
		}
	}
	return nil
}
