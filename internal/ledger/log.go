package ledger

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/internal/definition"

	"github.com/oklog/ulid/v2"
	"gorm.io/gorm"
)

// Stale says that a command was made for a run that has gone on since.
type Stale struct {
	Seq   int // where the run is now
	Since []run.Event
}

func (s *Stale) Error() string {
	return fmt.Sprintf("The run has gone on to step %d of its record since this was on the screen. Look at what happened, then try again.", s.Seq)
}

// Command is an order for a run: by whom, when, with the client's id and the
// sequence it expects the run to be at.
type Command struct {
	ID     string
	Expect int
	Do     run.Command
	Order  run.Order
}

// Begin opens a run by a procedure. The same command id opens it only once.
func (l *Ledger) Begin(p *procedure.Procedure, c Command) (run.Run, error) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if run, ok, err := l.repeated(c.ID); ok || err != nil {
		return run, err
	}
	run := run.NewRun(p)
	run.ID = ulid.MustNew(ulid.Timestamp(c.Order.At), ulid.DefaultEntropy()).String()
	events, err := run.Decide(c.ID, c.Do, c.Order)
	if err != nil {
		return run, err
	}
	revision := ProcedureRevision{Hash: p.Hash, Procedure: p.ID, Revision: p.Revision, Text: p.Text}
	return l.append(folded{run, l.head}, events, &revision)
}

// Carry carries out a command on a run. A repeated command id changes nothing and
// returns the run as it is; a run that has gone on since is a [*Stale] error; what
// the run refuses is a [*procedure.Refusal].
func (l *Ledger) Carry(id string, c Command) (run.Run, error) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if c.ID == "" {
		return run.Run{}, errors.New("a command needs an id")
	}
	state, err := l.folded(id)
	if err != nil {
		return run.Run{}, err
	}
	next, err := l.carry(state, c)
	if err == nil {
		return next, nil
	}
	// Only a command that cannot be carried out may have been carried out before.
	if run, ok, found := l.repeated(c.ID); ok || found != nil {
		return run, found
	}
	return state.run, err
}

func (l *Ledger) carry(state folded, c Command) (run.Run, error) {
	if c.Expect != state.run.Seq {
		since, err := l.Events(state.run.ID, c.Expect)
		return state.run, errors.Join(err, &Stale{state.run.Seq, since})
	}
	events, err := state.run.Decide(c.ID, c.Do, c.Order)
	if err != nil {
		return state.run, err
	}
	return l.append(state, events, nil)
}

// repeated finds the run a command was already carried out on.
func (l *Ledger) repeated(command string) (run.Run, bool, error) {
	if command == "" {
		return run.Run{}, false, errors.New("a command needs an id")
	}
	var e Event
	if err := l.write.Select("run_id").Where("event_id = ?", command).Limit(1).Find(&e).Error; err != nil || e.RunID == "" {
		return run.Run{}, false, err
	}
	state, err := l.folded(e.RunID)
	return state.run, true, err
}

// append writes events, their read models and, if new, the definition, in one transaction.
func (l *Ledger) append(state folded, events []run.Event, revision *ProcedureRevision) (run.Run, error) {
	run, prev := state.run, state.hash
	rows := make([]Event, len(events))
	for i, e := range events {
		row, err := seal(e, prev)
		if err != nil {
			return state.run, err
		}
		rows[i], prev = row, row.Hash
		run = run.Apply(e)
	}
	err := l.write.Transaction(func(tx *gorm.DB) error {
		if revision != nil {
			if err := tx.Where("hash = ?", revision.Hash).FirstOrCreate(revision).Error; err != nil {
				return err
			}
		}
		if err := tx.Create(&rows).Error; err != nil {
			return err
		}
		return project(tx, run, events, prev)
	})
	if err != nil {
		delete(l.runs, run.ID)
		return state.run, fmt.Errorf("nothing was recorded: %w", err)
	}
	l.head = prev
	l.keep(run, prev)
	l.onChange(run.ID, run.Seq)
	return run, nil
}

// keep remembers open runs; ended ones are read again when asked for.
func (l *Ledger) keep(r run.Run, hash string) {
	if r.Status == run.Signed || r.Status == run.Abandoned {
		delete(l.runs, r.ID)
		return
	}
	l.runs[r.ID] = folded{r, hash}
}

// seal makes the row of an event, chained to the hash before it.
func seal(e run.Event, prev string) (Event, error) {
	data, err := json.Marshal(e.Fact)
	if err != nil {
		return Event{}, err
	}
	by, err := json.Marshal(e.By)
	if err != nil {
		return Event{}, err
	}
	row := Event{RunID: e.Run, Seq: e.Seq, EventID: e.ID, Kind: run.KindOf(e.Fact), At: e.At.UTC().Format(time.RFC3339Nano), By: string(by), Data: string(data), Prev: prev}
	row.Hash = row.sum()
	return row, nil
}

// sum is the hash of everything in the row and the hash before it.
func (e Event) sum() string {
	h := sha256.New()
	for _, part := range []string{e.Prev, e.RunID, fmt.Sprint(e.Seq), e.EventID, e.Kind, e.At, e.By, e.Data} {
		fmt.Fprintf(h, "%d:%s\n", len(part), part)
	}
	return hex.EncodeToString(h.Sum(nil))
}

// event is the row as the core knows it.
func (e Event) event() (run.Event, error) {
	out := run.Event{Run: e.RunID, Seq: e.Seq, ID: e.EventID}
	var err error
	if out.At, err = time.Parse(time.RFC3339Nano, e.At); err != nil {
		return out, err
	}
	out.At = out.At.In(time.Local) // it is hashed in UTC, and happened where the workshop is
	if err = json.Unmarshal([]byte(e.By), &out.By); err != nil {
		return out, err
	}
	out.Fact, err = run.DecodeFact(e.Kind, []byte(e.Data))
	return out, err
}

// Events are a run's events after a sequence number.
func (l *Ledger) Events(r string, after int) ([]run.Event, error) {
	var rows []Event
	if err := l.write.Where("run_id = ? AND seq > ?", r, after).Order("seq").Find(&rows).Error; err != nil {
		return nil, err
	}
	events := make([]run.Event, len(rows))
	for i, row := range rows {
		var err error
		if events[i], err = row.event(); err != nil {
			return nil, fmt.Errorf("run %s, event %d: %w", r, row.Seq, err)
		}
	}
	return events, nil
}

// Rows are a run's events as the log holds them, with their chain.
func (l *Ledger) Rows(run string) ([]Event, error) {
	return many[Event](l.read.Where("run_id = ?", run).Order("seq"))
}

// Run is the state of a run.
func (l *Ledger) Run(id string) (run.Run, error) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	state, err := l.folded(id)
	return state.run, err
}

// RunAt is a run as it was at a sequence number, with the hash of its event there.
func (l *Ledger) RunAt(id string, seq int) (run.Run, string, error) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	state, err := l.folded(id)
	if err != nil {
		return state.run, "", err
	}
	events, err := l.Events(id, 0)
	if err != nil || seq < 1 || seq > len(events) {
		return state.run, state.hash, err
	}
	var row Event
	err = l.write.Select("hash").Where("run_id = ? AND seq = ?", id, seq).First(&row).Error
	return run.Fold(state.run.Procedure, events[:seq]), row.Hash, err
}

func (l *Ledger) folded(id string) (folded, error) {
	if state, ok := l.runs[id]; ok {
		return state, nil
	}
	var row Run
	if err := l.write.Where("id = ?", id).Limit(1).Find(&row).Error; err != nil {
		return folded{}, err
	}
	if row.ID == "" || row.Paper {
		return folded{}, ErrNotFound
	}
	var revision ProcedureRevision
	if err := l.write.Where("hash = ?", row.Hash).First(&revision).Error; err != nil {
		return folded{}, fmt.Errorf("the procedure of run %s: %w", id, err)
	}
	p, err := l.compiled(revision)
	if err != nil {
		return folded{}, fmt.Errorf("the procedure of run %s: %w", id, err)
	}
	events, err := l.Events(id, 0)
	if err != nil {
		return folded{}, err
	}
	state := folded{run.Fold(p, events), row.Head}
	l.keep(state.run, state.hash)
	return state, nil
}

// compiled is the procedure of a kept revision, compiled once.
func (l *Ledger) compiled(revision ProcedureRevision) (*procedure.Procedure, error) {
	if p, ok := l.procedures.Get(revision.Hash); ok {
		return p, nil
	}
	p, err := definition.Read(revision.Procedure, []byte(revision.Text))
	if err != nil {
		return nil, err
	}
	if p.Hash != revision.Hash {
		return nil, fmt.Errorf("its text was changed: it is not the one it was kept under")
	}
	l.procedures.Add(revision.Hash, p)
	return p, nil
}

// Broken is the first event at which the chain does not hold.
type Broken struct {
	Run string
	Seq int
	Ord int64
	Why string
}

func (b *Broken) Error() string {
	return fmt.Sprintf("the record is broken at event %d of run %s (number %d in the log): %s", b.Seq, b.Run, b.Ord, b.Why)
}

// Verify walks the whole log and checks every hash, the order within each run, the
// link of each run's first event to the log before it, and that no run's end is
// missing. It returns the number of events checked, and a [*Broken] error for the
// first one that does not hold.
func (l *Ledger) Verify() (int, error) {
	type tip struct {
		seq  int
		hash string
	}
	tips, head, checked := map[string]tip{}, "", 0
	var batch []Event
	err := l.read.Order("ord").FindInBatches(&batch, 500, func(*gorm.DB, int) error {
		for _, e := range batch {
			last, begun := tips[e.RunID]
			want := last.hash
			if !begun {
				want = head
			}
			broken := func(why string) error { return &Broken{e.RunID, e.Seq, e.Ord, why} }
			switch {
			case e.Seq != last.seq+1:
				return broken(fmt.Sprintf("event %d is missing before it", last.seq+1))
			case e.Prev != want:
				return broken("it does not follow the event before it")
			case e.sum() != e.Hash:
				return broken("its content was changed")
			}
			if _, err := e.event(); err != nil {
				return broken(err.Error())
			}
			tips[e.RunID], head = tip{e.Seq, e.Hash}, e.Hash
			checked++
		}
		return nil
	}).Error
	if err != nil {
		return checked, err
	}
	rows, err := many[Run](l.read.Select("id", "seq", "head").Where("paper = ?", false))
	if err != nil {
		return checked, err
	}
	for _, row := range rows {
		if at := tips[row.ID]; at.seq != row.Seq || at.hash != row.Head {
			return checked, &Broken{row.ID, at.seq + 1, 0, fmt.Sprintf("the run had %d events, %d are there", row.Seq, at.seq)}
		}
	}
	return checked, nil
}

// Take writes a whole run that was made elsewhere, event by event, in one
// transaction. Its events must begin at 1 and belong to one run.
func (l *Ledger) Take(p *procedure.Procedure, events []run.Event) error {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if len(events) == 0 || events[0].Seq != 1 {
		return errors.New("a run begins with its first event")
	}
	revision := ProcedureRevision{Hash: p.Hash, Procedure: p.ID, Revision: p.Revision, Text: p.Text}
	run := run.NewRun(p)
	run.ID = events[0].Run
	_, err := l.append(folded{run, l.head}, events, &revision)
	return err
}

// Check reads the event in a row whose hash holds; an error says what does not.
func (e Event) Check() (run.Event, error) {
	if e.sum() != e.Hash {
		return run.Event{}, errors.New("its content was changed: its hash does not hold")
	}
	return e.event()
}
