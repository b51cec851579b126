package ledger

import (
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"northneedle/core/person"
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
// sequence it expects the run to be at. After is the id of a command that the same person gave just before it, where its
// answer was not known yet: it then expects the run as that one left it.
type Command struct {
	ID     string
	Expect int
	After  string
	Do     run.Command
	Order  run.Order
}

// Begin opens a run by a procedure. The same command id opens it only once.
func (l *Ledger) Begin(p *procedure.Procedure, c Command) (run.Run, error) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if run, ok, err := l.repeated(c); ok || err != nil {
		return run, err
	}
	run := run.NewRun(p)
	run.ID = ulid.MustNew(ulid.Timestamp(c.Order.At), ulid.DefaultEntropy()).String()
	if err := l.complete(&c.Order, ""); err != nil {
		return run, err
	}
	events, err := run.Decide(c.ID, c.Do, c.Order)
	if err != nil {
		return run, err
	}
	return l.append(folded{run: run}, events, revisionOf(p))
}

// Carry carries out a command on a run. Repeating a command id changes nothing and returns the present
// state. The error is a [*Stale] where the run has changed since the client saw it, and a
// [*run.Refusal] where the run refuses the command.
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
	if run, ok, found := l.repeated(c); ok || found != nil {
		return run, found
	}
	return state.run, err
}

// Carried is the run on which a command was carried out before; false where it was not. The error is ErrUsed where its id
// belongs to something else.
func (l *Ledger) Carried(command string, by person.Person) (run.Run, bool, error) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	return l.repeated(Command{ID: command, Order: run.Order{By: by}})
}

func (l *Ledger) carry(state folded, c Command) (run.Run, error) {
	if c.Expect != state.run.Seq {
		since, err := l.Events(state.run.ID, c.Expect)
		if err != nil || !c.follows(since) {
			return state.run, errors.Join(err, &Stale{state.run.Seq, since})
		}
	}
	if err := l.complete(&c.Order, state.hash); err != nil {
		return state.run, err
	}
	events, err := state.run.Decide(c.ID, c.Do, c.Order)
	if err != nil {
		return state.run, err
	}
	return l.append(state, events, nil)
}

// follows reports whether the last that happened in a run is the command that this one was given after.
func (c Command) follows(since []run.Event) bool {
	if c.After == "" || len(since) == 0 {
		return false
	}
	last := since[len(since)-1]
	id, _, _ := strings.Cut(last.ID, ".") // a command of several events numbers them
	return id == c.After && last.By.ID == c.Order.By.ID
}

// complete adds to an order what the record knows of whoever gives it, and the hash that a signature is bound to.
func (l *Ledger) complete(o *run.Order, content string) (err error) {
	o.Content = content
	if o.Competences, err = l.Alone(); err != nil {
		return err
	}
	o.Registered, err = l.Registered(o.By.ID)
	return err
}

// repeated finds the run a command was already carried out on. An id that another person used, or
// that belongs to no run, is refused with ErrUsed: acknowledging it would lose the command.
func (l *Ledger) repeated(c Command) (run.Run, bool, error) {
	if c.ID == "" {
		return run.Run{}, false, errors.New("a command needs an id")
	}
	e, err := one[Event](l.write.Select("stream", "by").Where("event_id = ?", c.ID))
	if errors.Is(err, ErrNotFound) {
		return run.Run{}, false, nil
	}
	if err != nil {
		return run.Run{}, false, err
	}
	if same, err := e.isBy(c.Order.By); err != nil || !same || e.RunID() == "" {
		return run.Run{}, false, errors.Join(err, ErrUsed)
	}
	state, err := l.folded(e.RunID())
	return state.run, true, err
}

// append writes events of a run, their read models and, if new, the definition, in one transaction.
func (l *Ledger) append(state folded, events []run.Event, revision *ProcedureRevision) (run.Run, error) {
	r := state.run
	tip := state.hash
	err := l.transact(func(tx *gorm.DB, log *appender) error {
		w := &writer{tx: tx, log: log}
		if revision != nil {
			if err := l.keepRevision(w, revision, events[0]); err != nil {
				return err
			}
		}
		for _, e := range events {
			row, err := rowOf(e)
			if err != nil {
				return err
			}
			row.Prev = tip
			if row, err = log.next(tx, row); err != nil {
				return err
			}
			tip, r = row.Hash, r.Apply(e)
		}
		return project(w, r, events, tip)
	})
	if err != nil {
		delete(l.runs, r.ID)
		return state.run, fmt.Errorf("nothing was recorded: %w", err)
	}
	l.keep(r, tip)
	if r.Status != run.Open || state.run.Status != run.Open {
		l.records.Add(1)
	}
	l.onChange(r.ID, r.Seq)
	return r, nil
}

// keepRevision keeps a procedure that a run is made by, where it is not kept yet.
func (l *Ledger) keepRevision(w *writer, revision *ProcedureRevision, e run.Event) error {
	if _, known := l.procedures.Get(revision.Hash); known {
		if row, err := recordTables["procedure_revisions"].row(w.tx, revision.Hash); err != nil || row != nil {
			return err
		}
	}
	if err := w.save(revision); err != nil {
		return err
	}
	return w.done(Act{Kind: "procedure first used", By: e.By, At: e.At})
}

// keep remembers open runs; ended ones are read again when asked for.
func (l *Ledger) keep(r run.Run, hash string) {
	if r.Status == run.Signed || r.Status == run.Abandoned {
		delete(l.runs, r.ID)
		return
	}
	l.runs[r.ID] = folded{r, hash}
}

// rowOf is an event of a run as the log writes it, before it has its place in the chain.
func rowOf(e run.Event) (Event, error) {
	data, err := json.Marshal(e.Fact)
	if err != nil {
		return Event{}, err
	}
	by, err := json.Marshal(e.By)
	if err != nil {
		return Event{}, err
	}
	return Event{
		Stream:  runStream + e.Run,
		Seq:     e.Seq,
		EventID: e.ID,
		Kind:    run.KindOf(e.Fact),
		At:      e.At.UTC().Format(time.RFC3339Nano),
		By:      string(by),
		Data:    string(data),
	}, nil
}

// runStream begins the stream of a run's events.
const runStream = "run/"

// StreamOf is the stream of a run's events.
func StreamOf(run string) string { return runStream + run }

// RunID is the run that an event is of; empty where it is of none.
func (e Event) RunID() string {
	id, ok := strings.CutPrefix(e.Stream, runStream)
	if !ok {
		return ""
	}
	return id
}

// appender puts events at the end of the log within one transaction. Its head counts only once
// the transaction has been committed.
type appender struct{ head string }

// transact runs do in one transaction. It first reads the last hash of the log, since another program may
// have written to the file; if one has, the cached runs and people are dropped.
func (l *Ledger) transact(do func(tx *gorm.DB, log *appender) error) error {
	log := &appender{}
	err := l.write.Transaction(func(tx *gorm.DB) error {
		err := tx.Raw("SELECT hash FROM events ORDER BY ord DESC LIMIT 1").Row().Scan(&log.head)
		if err != nil && !errors.Is(err, sql.ErrNoRows) {
			return err
		}
		if log.head != l.head {
			clear(l.runs)
			l.records.Add(1)
		}
		return do(tx, log)
	})
	if err == nil {
		l.head = log.head
	}
	return err
}

// add puts an event at the end of its stream and of the log.
func (a *appender) add(tx *gorm.DB, e Event) (Event, error) {
	var last Event
	if err := tx.Select("seq", "hash").Where("stream = ?",
		e.Stream).Order("seq DESC").Limit(1).Find(&last).Error; err != nil {
		return e, err
	}
	e.Seq, e.Prev = last.Seq+1, last.Hash
	return a.next(tx, e)
}

// next puts an event, whose place in its stream is known, at the end of the log.
func (a *appender) next(tx *gorm.DB, e Event) (Event, error) {
	e.Log = a.head
	e.Hash = e.sum()
	if err := tx.Create(&e).Error; errors.Is(err, gorm.ErrDuplicatedKey) {
		return e, ErrUsed
	} else if err != nil {
		return e, err
	}
	a.head = e.Hash
	return e, nil
}

// sum is the hash of everything in the row, with the hashes before it: in its stream, and in the
// whole log.
func (e Event) sum() string {
	h := sha256.New()
	for _, part := range []string{e.Log, e.Prev, e.Stream, strconv.Itoa(e.Seq), e.EventID, e.Kind, e.At, e.By, e.Data} {
		h.Write(strconv.AppendInt(nil, int64(len(part)), 10))
		h.Write([]byte{':'})
		h.Write([]byte(part))
		h.Write([]byte{'\n'})
	}
	return hex.EncodeToString(h.Sum(nil))
}

// isBy says whether a person caused an event.
func (e Event) isBy(p person.Person) (bool, error) {
	var by person.Person
	err := json.Unmarshal([]byte(e.By), &by)
	return by.ID == p.ID, err
}

// event is the row as the core knows it.
func (e Event) event() (run.Event, error) {
	out := run.Event{Run: e.RunID(), Seq: e.Seq, ID: e.EventID}
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
	if err := l.write.Where("stream = ? AND seq > ?", runStream+r, after).Order("seq").Find(&rows).Error; err != nil {
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
	return many[Event](l.read.Where("stream = ?", runStream+run).Order("seq"))
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
	err = l.write.Select("hash").Where("stream = ? AND seq = ?", runStream+id, seq).First(&row).Error
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

// foldIn is a run folded from its events within a transaction, whatever its rows say.
func (l *Ledger) foldIn(tx *gorm.DB, id string) (r run.Run, head string, events []run.Event, err error) {
	var rows []Event
	if err := tx.Where("stream = ?", runStream+id).Order("seq").Find(&rows).Error; err != nil {
		return r, "", nil, err
	}
	for _, row := range rows {
		e, err := row.event()
		if err != nil {
			return r, "", nil, fmt.Errorf("run %s, event %d: %w", id, row.Seq, err)
		}
		events, head = append(events, e), row.Hash
	}
	opened, ok := events[0].Fact.(run.RunOpened)
	if !ok {
		return r, "", nil, fmt.Errorf("run %s does not begin with its opening", id)
	}
	revision, err := one[ProcedureRevision](tx.Where("hash = ?", opened.Hash))
	if err != nil {
		return r, "", nil, fmt.Errorf("the procedure of run %s: %w", id, err)
	}
	p, err := l.compiled(revision)
	if err != nil {
		return r, "", nil, fmt.Errorf("the procedure of run %s: %w", id, err)
	}
	return run.Fold(p, events), head, events, nil
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

// Take writes a whole run that was made elsewhere, event by event, in one
// transaction. Its events must begin at 1 and belong to one run.
func (l *Ledger) Take(p *procedure.Procedure, events []run.Event) error {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	if len(events) == 0 || events[0].Seq != 1 {
		return errors.New("a run begins with its first event")
	}
	run := run.NewRun(p)
	run.ID = events[0].Run
	_, err := l.append(folded{run: run}, events, revisionOf(p))
	return err
}

// Check verifies the hash of a row and decodes its event.
func (e Event) Check() (run.Event, error) {
	if e.sum() != e.Hash {
		return run.Event{}, errors.New("its content was changed: its hash does not hold")
	}
	return e.event()
}
