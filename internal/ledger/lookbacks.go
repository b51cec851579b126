package ledger

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/duty"
	"northneedle/core/lookback"
	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/core/runview"

	"gorm.io/gorm"
)

// What a look-back began with.
const (
	OnDevice    = "device"
	OnReference = "reference"
	OnControl   = "control"
)

// LookBack is a bad finding that is followed up, until everyone it touches has answered.
type LookBack struct {
	ID         string `gorm:"primaryKey"`
	Kind       string
	AssetID    string `gorm:"index"`
	StandardID string `gorm:"index"`
	RunID      string // that found it
	Analyte    string `gorm:"index"`
	Title      string
	Found      string // in a sentence
	From       *time.Time
	Until      time.Time
	Levels     []lookback.Level          `gorm:"serializer:json"`
	Known      *reference.ReferenceError `gorm:"serializer:json"`
	Risk       int
	OpenedAt   time.Time `gorm:"index:look_back_by_state,priority:2"`
	OpenedBy   string
	ClosedAt   *time.Time `gorm:"index:look_back_by_state,priority:1"`
	ClosedBy   string
	Conclusion string
}

// Window is the time in doubt.
func (b LookBack) Window() lookback.Window {
	w := lookback.Window{Until: b.Until}
	if b.From != nil {
		w.From = *b.From
	}
	return w
}

// Notice is what an owner is told in a look-back, and what they answered.
type Notice struct {
	ID         string `gorm:"primaryKey"`
	LookBackID string `gorm:"index"`
	AssetID    string
	RunID      string
	To         string
	Text       string
	SentAt     *time.Time
	SentBy     string
	Answer     string
	AnsweredAt *time.Time
	AnsweredBy string // who took the answer down
}

// CountedLookBack is a look-back with how its notices stand.
type CountedLookBack struct {
	LookBack
	Notices int // all of them
	Unsent  int
	Waiting int // sent, and no answer yet
}

// LookBacks are those that are open, or those that are closed, the newest first.
func (l *Ledger) LookBacks(closed bool, limit int) ([]CountedLookBack, error) {
	state := "closed_at IS NULL"
	if closed {
		state = "closed_at IS NOT NULL"
	}
	return many[CountedLookBack](l.counted(l.read.Where(state).Order("opened_at DESC").Limit(limit)))
}

// LookBack finds one by its id.
func (l *Ledger) LookBack(id string) (CountedLookBack, error) {
	return one[CountedLookBack](l.counted(l.read.Where("id = ?", id)))
}

// counted counts the notices of some look-backs, the newest first.
func (l *Ledger) counted(some *gorm.DB) *gorm.DB {
	return l.read.Table("(?) AS shown",
		some.Model(&LookBack{})).Joins("LEFT JOIN notices ON notices.look_back_id = shown.id").Group("shown.id").Order("shown.opened_at DESC").
		Select("shown.*, count(notices.id) AS notices, count(CASE WHEN sent_at IS NULL AND answered_at IS NULL THEN notices.id END) AS unsent, count(CASE WHEN sent_at IS NOT NULL AND answered_at IS NULL THEN notices.id END) AS waiting")
}

// LookBacksOn are the open ones about a device.
func (l *Ledger) LookBacksOn(asset string) ([]LookBack, error) {
	return many[LookBack](l.read.Where("asset_id = ? AND closed_at IS NULL", asset).Order("opened_at DESC"))
}

// Notices are what was told, and answered, in look-backs.
func (l *Ledger) Notices(lookBacks ...string) ([]Notice, error) {
	return many[Notice](l.read.Where("look_back_id IN ?", lookBacks).Order("id"))
}

// Notice is one of them.
func (l *Ledger) Notice(id string) (Notice, error) { return one[Notice](l.read.Where("id = ?", id)) }

// SaveLookBack keeps a look-back with notices, together.
func (l *Ledger) SaveLookBack(act Act, b *LookBack, notices ...Notice) error {
	return l.Do(act, func(w *writer) error { return saveLookBack(w, b, notices...) })
}

func saveLookBack(w *writer, b *LookBack, notices ...Notice) error {
	if err := w.save(b); err != nil {
		return err
	}
	for i := range notices {
		if err := w.save(&notices[i]); err != nil {
			return err
		}
	}
	return nil
}

// subject is what a notice is about.
func subject(lab string, r Run, risk int) lookback.Subject {
	return lookback.Subject{Lab: lab, Tag: r.Tag, Device: r.Device(), Place: r.Place + ", " + r.Site, Risk: risk}
}

// openOnDevice opens a look-back where a signed run found its device out, in the
// transaction of the events.
func openOnDevice(w *writer, r run.Run) error {
	tx := w.tx
	levels := r.FoundOut()
	if len(levels) == 0 {
		return nil
	}
	row, err := one[Run](tx.Where("id = ?", r.ID))
	if err != nil {
		return err
	}
	asset, err := one[Asset](tx.Where("id = ?", r.Device.ID))
	if err != nil && !errors.Is(err, ErrNotFound) {
		return err
	}
	at := r.Signature.At
	b := LookBack{
		ID:       "lb-" + r.ID,
		Kind:     OnDevice,
		AssetID:  r.Device.ID,
		RunID:    r.ID,
		Until:    at,
		Levels:   levels,
		Risk:     asset.Risk,
		OpenedAt: at,
		OpenedBy: r.Signature.By.Name,
	}
	// What another procedure found says nothing of what this one did: an electronic check is no liquid control.
	good, err := one[Run](tx.Where("asset_id = ? AND procedure = ? AND status = ? AND replaced_by = '' AND result IN ? "+
		"AND ended_at < ? AND id <> ?", r.Device.ID, r.Procedure.ID, run.Signed, run.PassedResults, at, r.ID).Order("ended_at DESC"))
	switch {
	case err == nil:
		b.From = good.EndedAt
	case !errors.Is(err, ErrNotFound):
		return err
	}
	opening, opens := lookback.OnDevice(subject(r.Lab.Name, row, asset.Risk), b.Window(), levels,
		r.Signature.Result == run.ConformsAdjusted)
	if !opens {
		return nil
	}
	b.Title, b.Found = opening.Title, strings.Join(append([]string{opening.Found}, runview.FarOut(r)...), " ")
	n := Notice{
		ID:         b.ID + "-owner",
		LookBackID: b.ID,
		AssetID:    r.Device.ID,
		RunID:      r.ID,
		To:         row.Place + ", " + row.Site,
		Text:       opening.Text,
	}
	if before, err := recordTables["look_backs"].row(tx, b.ID); err != nil || before != nil { // followed up already
		return err
	}
	return saveLookBack(w, &b, n)
}

// Touched is a run that rested on a reference, seen again with what is known of it.
type Touched struct {
	Run      Run
	Points   []run.Reassessment
	Unjudged string // why it cannot be judged again; empty where it was
}

// InDoubt reports whether what the run says changes, or cannot be told.
func (t Touched) InDoubt() bool { return t.Unjudged != "" || t.Changed() > 0 }

// Changed counts the points whose statement is another.
func (t Touched) Changed() (n int) {
	for _, p := range t.Points {
		if p.Changed {
			n++
		}
	}
	return n
}

// TouchedBy are the ended runs that used a reference since its last good certificate, judged again
// with its known error. Runs whose verdicts change come first.
func (l *Ledger) TouchedBy(k reference.ReferenceError, since time.Time) ([]Touched, error) {
	runs, err := l.RunsWith(k.Standard, since, 5000)
	if err != nil {
		return nil, err
	}
	var first, rest []Touched
	for _, row := range runs {
		if row.Paper || row.Status == run.Abandoned {
			continue
		}
		run, err := l.Run(row.ID)
		if err != nil {
			return nil, err
		}
		if k.Before != nil && !rested(run, k) {
			continue
		}
		points, err := run.Reassess(k)
		t := Touched{Run: row, Points: points}
		if err != nil { // it cannot be judged again: it is in doubt as one that changes is
			t.Unjudged = err.Error()
		}
		if t.InDoubt() {
			first = append(first, t)
		} else {
			rest = append(rest, t)
		}
	}
	return append(first, rest...), nil
}

// rested reports whether a run used a standard as a known error is of it.
func rested(r run.Run, k reference.ReferenceError) bool {
	for _, role := range r.Procedure.Roles {
		if slices.ContainsFunc(r.Bindings(role.ID), func(b run.Bound) bool { return k.Concerns(b.Standard) }) {
			return true
		}
	}
	return false
}

// OpenOnReference opens a look-back on a reference that was found out, with a notice for
// the owner of every device whose verdict changes. What was done since its last good certificate is looked at.
func (l *Ledger) OpenOnReference(id string, s Standard, since time.Time, k reference.ReferenceError, found string,
	act Act) (LookBack, error) {
	b := LookBack{
		ID:         id,
		Kind:       OnReference,
		StandardID: s.ID,
		Title:      s.Tag + " " + s.Name + " found out",
		Found:      found,
		From:       &since,
		Until:      act.At,
		Known:      &k,
		OpenedAt:   act.At,
		OpenedBy:   act.By.Name,
	}
	touched, err := l.TouchedBy(k, since)
	if err != nil {
		return b, err
	}
	var notices []Notice
	for _, t := range touched {
		if !t.InDoubt() || t.Run.EndedAt == nil {
			continue
		}
		asset, err := l.Asset(t.Run.AssetID)
		if err != nil {
			return b, err
		}
		run, err := l.Run(t.Run.ID)
		if err != nil {
			return b, err
		}
		var changed []string
		for _, p := range t.Points {
			if p.Changed {
				changed = append(changed, runview.ReassessedWords(p))
			}
		}
		if t.Unjudged != "" {
			changed = append(changed, "It cannot be judged again: "+t.Unjudged+".")
		}
		b.Risk = max(b.Risk, asset.Risk)
		notices = append(notices, Notice{ID: fmt.Sprintf("%s-%s", id, t.Run.ID), LookBackID: id, AssetID: asset.ID,
			RunID: t.Run.ID, To: t.Run.Place + ", " + t.Run.Site,
			Text: lookback.ReferenceNotice(subject(run.Lab.Name, t.Run, asset.Risk), s.Tag+" "+s.Name, found,
				*t.Run.EndedAt, changed)})
	}
	return b, l.Do(act, func(w *writer) error {
		if err := saveLookBack(w, &b, notices...); err != nil {
			return err
		}
		for _, t := range touched {
			if err := dueForDoubt(w, t, b.Title, act.At); err != nil {
				return err
			}
		}
		return nil
	})
}

// dueForDoubt makes due what a run in doubt did last.
func dueForDoubt(w *writer, t Touched, why string, at time.Time) error {
	if !t.InDoubt() || t.Run.EndedAt == nil {
		return nil
	}
	all, err := many[Activity](w.tx.Where("asset_id = ? AND active = ?", t.Run.AssetID, true).Order("id"))
	if err != nil {
		return err
	}
	for _, a := range Adopted(all, duty.Doubted(Recurrings(all), t.Run.Procedure, *t.Run.EndedAt, why, at)) {
		if err := w.save(a); err != nil {
			return err
		}
	}
	return nil
}
