package ledger

import (
	"encoding/json"
	"errors"
	"fmt"

	"northneedle/core/run"
	"northneedle/internal/definition"

	"gorm.io/gorm"
)

// Broken is the first event at which the log does not hold.
type Broken struct {
	Stream string
	Seq    int
	Ord    int64
	Why    string
}

func (b *Broken) Error() string {
	return fmt.Sprintf("the record is broken at event %d of %s (number %d in the log): %s", b.Seq, b.Stream, b.Ord,
		b.Why)
}

// Verify walks the whole log and checks every hash, its order within each stream and within the
// log, that every event can be read, that no run's end is missing, and that every kept procedure is
// the text that its hash says. It returns the number of events checked, and a [*Broken] error for
// the first one that does not hold.
func (l *Ledger) Verify() (int, error) {
	type tip struct {
		seq  int
		hash string
	}
	tips, head, checked := map[string]tip{}, "", 0
	unbound := map[string]*Broken{} // the first signature of a run that is not bound to its content
	var batch []Event
	err := l.read.Order("ord").FindInBatches(&batch, 500, func(*gorm.DB, int) error {
		for _, e := range batch {
			last := tips[e.Stream]
			broken := func(why string) error { return &Broken{e.Stream, e.Seq, e.Ord, why} }
			switch {
			case e.Seq != last.seq+1:
				return broken(fmt.Sprintf("event %d is missing before it", last.seq+1))
			case e.Prev != last.hash:
				return broken("it does not follow the event before it in its stream")
			case e.Log != head:
				return broken("it does not follow the event before it in the log")
			case e.sum() != e.Hash:
				return broken("its content was changed")
			}
			switch err := e.readable(); {
			case errors.Is(err, errUnbound):
				unbound[e.Stream] = broken(err.Error()).(*Broken)
			case err != nil:
				return broken(err.Error())
			}
			if e.Kind == run.KindOf(run.TakenIn{}) { // it was bound to the content as the other workshop chained it
				delete(unbound, e.Stream)
			}
			tips[e.Stream], head = tip{e.Seq, e.Hash}, e.Hash
			checked++
		}
		return nil
	}).Error
	if err != nil {
		return checked, err
	}
	for _, broken := range unbound {
		return checked, broken
	}
	rows, err := many[Run](l.read.Select("id", "seq", "head").Where("paper = ?", false))
	if err != nil {
		return checked, err
	}
	for _, row := range rows {
		if at := tips[runStream+row.ID]; at.seq != row.Seq || at.hash != row.Head {
			return checked, &Broken{runStream + row.ID, at.seq + 1, 0,
				fmt.Sprintf("the run had %d events, %d are there", row.Seq, at.seq)}
		}
	}
	kept, err := many[ProcedureRevision](l.read.Order("procedure, revision"))
	if err != nil {
		return checked, err
	}
	for _, p := range kept {
		if definition.Hash(p.Text) != p.Hash {
			return checked, fmt.Errorf("the text of procedure %s, revision %d, was changed", p.Procedure, p.Revision)
		}
	}
	return checked, l.verifyContents()
}

// about is what an event is about that is not among the rows that it changed; else empty.
func (e Event) about(data recorded) string {
	if len(data.Changes) > 0 && e.Stream == data.Changes[0].Table+"/"+data.Changes[0].Key {
		return ""
	}
	return e.Stream
}

// errUnbound says that a signature was given to another content than the record has before it.
var errUnbound = errors.New("its signature was given to another content")

// readable is nil where the event can be read by this version.
func (e Event) readable() error {
	if e.RunID() != "" {
		event, err := e.event()
		if err != nil {
			return err
		}
		if signed, ok := run.SigningOf(event.Fact); ok && !signed.Bound(e.Prev) {
			return errUnbound
		}
		return nil
	}
	var data recorded
	return json.Unmarshal([]byte(e.Data), &data)
}
