package ledger

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"sync"
	"time"

	"northneedle/core/person"

	"github.com/oklog/ulid/v2"
	"gorm.io/gorm"
	"gorm.io/gorm/schema"
)

// Act says who changes something of the record, when and why. Its changes are one event.
type Act struct {
	ID   string // made by the client, so that a retry changes nothing; empty: made here
	Kind string // what is done, in the past tense: "device entered"
	By   person.Person
	At   time.Time
	Why  string
}

// Nobody is who acts where the program does so by itself: at its first start, or when it fills a demo.
var Nobody = person.Person{ID: "program", Name: "North Needle"}

// change is one row of one table before and after an act, as the engine writes it in JSON.
type change struct {
	Table  string          `json:"table"`
	Key    string          `json:"key"`
	Before json.RawMessage `json:"before,omitempty"` // none: the row is new
	After  json.RawMessage `json:"after,omitempty"`  // none: the row is gone
}

// recorded is the data of an event that changes records.
type recorded struct {
	Why     string   `json:"why,omitempty"`
	Changes []change `json:"changes"`
}

// Touch says which events touched a record: a history is read by it.
type Touch struct {
	Subject string `gorm:"primaryKey"` // "assets/dev-1"
	Ord     int64  `gorm:"primaryKey"`
}

// table is what the log knows of one kind of record.
type table struct {
	name    string
	key     string // its column
	columns []string
	object  string // json_object(…) of a row
	model   func() any
	keep    string // which of its rows are records; empty: all. The rest is computed from runs
}

// schemas is GORM's store of what it knows of the models.
var schemas sync.Map

// recordTables are the tables whose rows are records: every change of them is in the log. Sessions
// are not: they are gone with the working day.
var recordTables = tablesOf(
	map[any]string{&Run{}: "paper = 1", &Result{}: "run_id IN (SELECT id FROM runs WHERE paper = 1)"},
	&Person{}, &Asset{}, &Activity{}, &ActivityNote{}, &Standard{}, &StandardCertificate{}, &Gauge{},
	&ProcedureRevision{}, &Instrument{}, &ProfileText{}, &Setting{},
	&Competence{}, &ControlLot{}, &ControlValue{}, &TestCorrection{}, &LookBack{}, &Notice{}, &Round{}, &Token{}, &Passkey{}, &Attachment{}, &Fault{}, &Run{}, &Result{},
	&Contact{}, &Letter{}, &SafetyNotice{}, &SafetyDevice{}, &ProcedureDraft{}, &ReferenceCheck{},
)

func tablesOf(keep map[any]string, models ...any) map[string]table {
	all := map[string]table{}
	for _, m := range models {
		t := tableOf(m)
		for of, condition := range keep {
			if reflect.TypeOf(of) == reflect.TypeOf(m) {
				t.keep = condition
			}
		}
		all[t.name] = t
	}
	return all
}

func tableOf(model any) table {
	s, err := schema.Parse(model, &schemas, schema.NamingStrategy{})
	if err != nil {
		panic(err) // a model is wrong
	}
	t := table{name: s.Table, key: s.PrioritizedPrimaryField.DBName, columns: s.DBNames}
	var parts []string
	for _, c := range s.DBNames {
		parts = append(parts, fmt.Sprintf(`'%s', "%s"`, c, c))
	}
	t.object = "json_object(" + strings.Join(parts, ", ") + ")"
	t.model = func() any { return reflect.New(s.ModelType).Interface() }
	return t
}

// row is a record as JSON; nil where there is none.
func (t table) row(tx *gorm.DB, key any) (json.RawMessage, error) {
	var text []string
	err := tx.Raw(fmt.Sprintf(`SELECT %s FROM "%s" WHERE "%s" = ?`, t.object, t.name, t.key), key).Scan(&text).Error
	if err != nil || len(text) == 0 {
		return nil, err
	}
	return json.RawMessage(text[0]), nil
}

// writer writes records in a transaction, and notes what changed.
type writer struct {
	tx      *gorm.DB
	log     *appender
	changes []change
	about   string // what an event is about that changes no row: "record/backup"
}

// keyOf finds the table of a record, and its key.
func keyOf(record any) (table, any, error) {
	s, err := schema.Parse(record, &schemas, schema.NamingStrategy{})
	if err != nil {
		return table{}, nil, err
	}
	t, known := recordTables[s.Table]
	if !known {
		return t, nil, fmt.Errorf("%s is no table of records", s.Table)
	}
	key, _ := s.PrioritizedPrimaryField.ValueOf(context.Background(), reflect.ValueOf(record).Elem())
	return t, key, nil
}

// save inserts or replaces a record, given by its pointer.
func (w *writer) save(record any) error { return w.write(record, w.tx.Save) }

// create inserts a record; one with its key, or another unique value, is refused with ErrExists.
func (w *writer) create(record any) error {
	err := w.write(record, w.tx.Create)
	if errors.Is(err, gorm.ErrDuplicatedKey) {
		return ErrExists
	}
	return err
}

func (w *writer) write(record any, do func(any) *gorm.DB) error {
	t, key, err := keyOf(record)
	if err != nil {
		return err
	}
	var before json.RawMessage
	if !reflect.ValueOf(key).IsZero() {
		if before, err = t.row(w.tx, key); err != nil {
			return err
		}
	}
	if err := do(record).Error; err != nil {
		return err
	}
	if _, key, err = keyOf(record); err != nil {
		return err
	}
	after, err := t.row(w.tx, key)
	if err != nil || string(before) == string(after) {
		return err
	}
	w.changes = append(w.changes, change{t.name, fmt.Sprint(key), before, after})
	return nil
}

// done ends an act: its changes become one event. One without changes, and about nothing, leaves
// none.
func (w *writer) done(act Act) error {
	subjects := []string{}
	if w.about != "" {
		subjects = append(subjects, w.about)
	}
	for _, c := range w.changes {
		if subject := c.Table + "/" + c.Key; !slices.Contains(subjects, subject) {
			subjects = append(subjects, subject)
		}
	}
	if len(subjects) == 0 {
		return nil
	}
	if act.ID == "" {
		act.ID = ulid.Make().String()
	}
	data, err := json.Marshal(recorded{act.Why, w.changes})
	if err != nil {
		return err
	}
	by, err := json.Marshal(act.By)
	if err != nil {
		return err
	}
	row, err := w.log.add(w.tx, Event{
		Stream:  subjects[0],
		EventID: act.ID,
		Kind:    act.Kind,
		At:      act.At.UTC().Format(time.RFC3339Nano),
		By:      string(by),
		Data:    string(data),
	})
	if err != nil {
		return err
	}
	touches := make([]Touch, len(subjects))
	for i, subject := range subjects {
		touches[i] = Touch{subject, row.Ord}
	}
	w.changes, w.about = nil, ""
	return w.tx.CreateInBatches(touches, 400).Error
}

// errRepeated ends a transaction whose act was carried out before.
var errRepeated = errors.New("carried out before")

// Do carries out an act in one transaction: the records it changes, and the event that says so.
// One with an id that is in the log already changes nothing.
func (l *Ledger) Do(act Act, do func(w *writer) error) error {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	err := l.transact(func(tx *gorm.DB, log *appender) error {
		if act.ID != "" {
			switch before, err := one[Event](tx.Select("kind", "by").Where("event_id = ?", act.ID)); {
			case err == nil:
				same, err := before.isBy(act.By)
				if err == nil && same && before.Kind == act.Kind {
					return errRepeated
				}
				return errors.Join(err, ErrUsed)
			case !errors.Is(err, ErrNotFound):
				return err
			}
		}
		w := &writer{tx: tx, log: log}
		if err := do(w); err != nil {
			return err
		}
		return w.done(act)
	})
	if errors.Is(err, errRepeated) {
		return nil
	}
	l.records.Add(1)
	return err
}

// Record inserts or replaces records, given by their pointers: all of them, or none.
func (l *Ledger) Record(act Act, records ...any) error {
	return l.Do(act, func(w *writer) error {
		for _, r := range records {
			if err := w.save(r); err != nil {
				return err
			}
		}
		return nil
	})
}

// Save is [Ledger.Record] by the program itself.
func (l *Ledger) Save(records ...any) error {
	return l.Record(Act{Kind: "saved", By: Nobody, At: time.Now()}, records...)
}

// Log records an event that changes no row. about names its subject, such as "record/backup".
func (l *Ledger) Log(act Act, about string) error {
	return l.Do(act, func(w *writer) error { w.about = about; return nil })
}

// createBatch inserts records, and ends them as one event of its own.
func (w *writer) createBatch(act Act, records []any) error {
	for _, r := range records {
		if err := w.create(r); err != nil {
			return err
		}
	}
	act.ID = "" // an act in several batches is several events
	return w.done(act)
}

// saveBatch saves records, and ends them as one event of its own.
func (w *writer) saveBatch(act Act, records []any) error {
	for _, r := range records {
		if err := w.save(r); err != nil {
			return err
		}
	}
	act.ID = ""
	return w.done(act)
}

// Happened is one event in the history of a record.
type Happened struct {
	Ord     int64
	Kind    string
	By      person.Person
	At      time.Time
	Why     string
	Changes []Changed
}

// Changed is one column of a record that an event changed.
type Changed struct {
	Column string `json:"column"`
	Before string `json:"before"`
	After  string `json:"after"`
}

// secret are the columns whose values no history shows.
var secret = map[string]bool{"people.password_hash": true, "people.pin_hash": true, "tokens.hash": true}

// History is what happened to some records, the newest first. A subject is a table and a key,
// "assets/dev-1", or the whole of a table, "settings/".
func (l *Ledger) History(limit int, subjects ...string) ([]Happened, error) {
	var whole, exact []string
	for _, s := range subjects {
		if strings.HasSuffix(s, "/") {
			whole = append(whole, s)
		} else {
			exact = append(exact, s)
		}
	}
	of := l.read.Where("subject IN ?", exact)
	for _, s := range whole {
		of = of.Or("subject >= ? AND subject < ?", s, strings.TrimSuffix(s, "/")+"0") // "0" comes after "/"
	}
	touched := l.read.Model(&Touch{}).Select("ord").Where(of)
	rows, err := many[Event](l.read.Where("ord IN (?)", touched).Order("ord DESC").Limit(limit))
	if err != nil {
		return nil, err
	}
	meant := func(subject string) bool {
		return slices.Contains(exact, subject) || slices.ContainsFunc(whole,
			func(s string) bool { return strings.HasPrefix(subject, s) })
	}
	all := []Happened{}
	for _, e := range rows {
		h := Happened{Ord: e.Ord, Kind: e.Kind}
		var data recorded
		at, err := time.Parse(time.RFC3339Nano, e.At)
		if err = errors.Join(err, json.Unmarshal([]byte(e.By), &h.By), json.Unmarshal([]byte(e.Data), &data)); err !=
			nil {
			return nil, err
		}
		h.At, h.Why = at.In(time.Local), data.Why
		for _, c := range data.Changes {
			if meant(c.Table + "/" + c.Key) {
				changed, err := differences(c)
				if err != nil {
					return nil, err
				}
				h.Changes = append(h.Changes, changed...)
			}
		}
		all = append(all, h)
	}
	return all, nil
}

// differences are the columns of a change that are not as they were.
func differences(c change) ([]Changed, error) {
	before, err := cells(c.Before)
	if err != nil {
		return nil, err
	}
	after, err := cells(c.After)
	if err != nil {
		return nil, err
	}
	all := []Changed{}
	for _, column := range recordTables[c.Table].columns {
		if before[column] == after[column] { // neither holds more than a text, a number or nothing
			continue
		}
		was, is := shownValue(before[column]), shownValue(after[column])
		if secret[c.Table+"."+column] || c.Table == "settings" && c.Key == "feed" {
			was, is = "", "changed"
		}
		all = append(all, Changed{column, was, is})
	}
	return all, nil
}

// cells are the values of a row by their columns: texts, numbers as they are written, or nothing.
func cells(row json.RawMessage) (map[string]any, error) {
	values := map[string]any{}
	if len(row) == 0 {
		return values, nil
	}
	decoder := json.NewDecoder(bytes.NewReader(row))
	decoder.UseNumber()
	return values, decoder.Decode(&values)
}

func shownValue(v any) string {
	switch v := v.(type) {
	case nil:
		return ""
	case string:
		return v
	}
	return fmt.Sprint(v)
}
