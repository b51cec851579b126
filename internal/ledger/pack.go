package ledger

import (
	"iter"
	"time"

	"northneedle/core/run"
)

// Span is a time, from one moment up to before another, at a site; an empty site is every one.
type Span struct {
	From, Until time.Time
	Site        string
}

// SignedIn are the runs that were signed in a span, the earliest first, those that were replaced or are held back among them.
func (l *Ledger) SignedIn(s Span) ([]Run, error) {
	query := l.read.Where("status IN ? AND ended_at >= ? AND ended_at < ? AND NOT paper", []run.Status{run.Signed,
		run.InReview}, s.From, s.Until)
	if s.Site != "" {
		query = query.Where("site = ?", s.Site)
	}
	return many[Run](query.Order("ended_at, id"))
}

// UsedIn are the references that were used in runs, by tag.
func (l *Ledger) UsedIn(runs []string) (all []Standard, err error) {
	ids := map[string]bool{}
	for i := 0; i < len(runs); i += askedAtOnce {
		some, err := many[Use](l.read.Select("standard_id").Where("run_id IN ?", runs[i:min(i+askedAtOnce, len(runs))]))
		if err != nil {
			return nil, err
		}
		for _, u := range some {
			ids[u.StandardID] = true
		}
	}
	standards, err := l.Standards("")
	for _, s := range standards {
		if ids[s.ID] {
			all = append(all, s)
		}
	}
	return all, err
}

// LookBacksIn are the look-backs that were open at some time of a span, the earliest first.
func (l *Ledger) LookBacksIn(s Span) ([]LookBack, error) {
	return many[LookBack](l.read.Where("opened_at < ? AND (closed_at IS NULL OR closed_at >= ?)", s.Until,
		s.From).Order("opened_at, id"))
}

// ControlledIn are the control values of a span, with the tag of the device and the lot of each.
func (l *Ledger) ControlledIn(s Span) iter.Seq2[ControlRow, error] {
	query := l.read.Table("control_values").Select("control_values.*, assets.tag, control_lots.lot, "+
		"control_lots.level, control_lots.mean, control_lots.sd, control_lots.unit").
		Joins("JOIN assets ON assets.id = control_values.asset_id JOIN control_lots ON control_lots.id = control_values.lot_id").
		Where("control_values.at >= ? AND control_values.at < ?", s.From, s.Until)
	if s.Site != "" {
		query = query.Where("assets.site = ?", s.Site)
	}
	return each[ControlRow](query.Order("control_values.at, control_values.id"))
}

// ControlRow is a control value with its device and its lot.
type ControlRow struct {
	ControlValue
	Tag, Lot, Unit string
	Level          int
	Mean           float64
	SD             float64
}

// Revisions are the procedures of hashes.
func (l *Ledger) Revisions(hashes []string) ([]ProcedureRevision, error) {
	return many[ProcedureRevision](l.read.Where("hash IN ?", hashes).Order("procedure, revision"))
}

// EventsIn are the events of a time, in the order of the log; a site is not told apart.
func (l *Ledger) EventsIn(s Span) iter.Seq2[Event, error] {
	stamp := func(t time.Time) string { return t.UTC().Format("2006-01-02T15:04:05") }
	return each[Event](l.read.Model(&Event{}).Where("at >= ? AND at < ?", stamp(s.From), stamp(s.Until)).Order("ord"))
}
