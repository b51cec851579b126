package ledger

import (
	"fmt"
	"time"

	"northneedle/core/run"
)

// tolerated is how far a clock may be put back without a word: computers correct theirs by less all day.
const tolerated = 2 * time.Second

// Backwards is a place in the log where time goes back: an event is earlier than the one before it in its stream.
type Backwards struct {
	Ord      int64
	Stream   string
	From, To time.Time
	Origin   string // the workshop whose clock it was, where the run was taken in from there; empty: this one
}

func (b Backwards) String() string {
	whose := "this workshop's"
	if b.Origin != "" {
		whose = b.Origin + "'s"
	}
	const form = "2006-01-02 15:04:05"
	return fmt.Sprintf("%s clock went back from %s to %s, at event %d of the log (%s)", whose, b.From.Local().Format(form),
		b.To.Local().Format(form), b.Ord, b.Stream)
}

// Backwards are the places where time goes back by more than two seconds, each within one stream and by one clock.
func (l *Ledger) Backwards() ([]Backwards, error) {
	var rows []struct {
		Ord                      int64
		Stream, At, Last, Origin string
	}
	err := l.read.Raw(`SELECT e.ord, e.stream, e.at, e.last, COALESCE((SELECT json_extract(t.data, '$.origin') FROM events t
		WHERE t.stream = e.stream AND t.kind = ? AND t.ord > e.ord LIMIT 1), '') AS origin
		FROM (SELECT ord, stream, kind, at, lag(at) OVER (PARTITION BY stream ORDER BY seq) AS last FROM events) e
		WHERE e.at < e.last ORDER BY e.ord`, run.KindOf(run.TakenIn{})).Scan(&rows).Error
	if err != nil {
		return nil, err
	}
	all := []Backwards{}
	for _, r := range rows {
		b := Backwards{Ord: r.Ord, Stream: r.Stream, Origin: r.Origin}
		if b.From, err = time.Parse(time.RFC3339Nano, r.Last); err != nil {
			return nil, err
		}
		if b.To, err = time.Parse(time.RFC3339Nano, r.At); err != nil {
			return nil, err
		}
		if b.From.Sub(b.To) > tolerated {
			all = append(all, b)
		}
	}
	return all, nil
}

// WentBack says how far the clock that shows now is behind the log's last event; 0 where it is not, or by no more than it may.
func (l *Ledger) WentBack(now time.Time) (by time.Duration, err error) {
	var last []string
	if err := l.read.Raw("SELECT at FROM events ORDER BY ord DESC LIMIT 1").Scan(&last).Error; err != nil || len(last) == 0 {
		return 0, err
	}
	at, err := time.Parse(time.RFC3339Nano, last[0])
	if by = at.Sub(now); err != nil || by <= tolerated {
		return 0, err
	}
	return by, nil
}
