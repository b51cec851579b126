package workshop

import (
	"reflect"
	"slices"
	"strings"

	"northneedle/core/person"
	"northneedle/internal/exchange"
	"northneedle/internal/instrument"
	"northneedle/internal/ledger"

	"github.com/oklog/ulid/v2"
)

// instrumentList is the register of instruments with what a list changes of it, row by row.
type instrumentList struct {
	ws   *Workshop
	rows []ledger.Instrument
	seen map[string]bool // ids that the list had already
}

func (ws *Workshop) instrumentList() (*instrumentList, error) {
	rows, err := ws.Ledger.Instruments()
	return &instrumentList{ws: ws, rows: rows, seen: map[string]bool{}}, err
}

// take makes the records of a row of a list: none where it changes nothing.
func (l *instrumentList) take(in exchange.Instrument) ([]any, error) {
	name, belongs := strings.TrimSpace(in.Name), strings.ToUpper(strings.TrimSpace(in.Belongs))
	at, id := l.named(name, belongs), ulid.Make().String()
	switch {
	case at >= 0 && l.seen[l.rows[at].ID]:
		return nil, invalid("name", "“"+name+"” stands twice in the list.")
	case at >= 0:
		id = l.rows[at].ID
	case in.Retired:
		return nil, invalid("status", "There is no instrument “"+name+"” in use to retire.")
	}
	l.seen[id] = true
	i, text, err := l.ws.row(id, InstrumentBody{
		Name:      name,
		Belongs:   in.Belongs,
		Profile:   in.Profile,
		Transport: in.Transport,
		Address:   in.Address,
		Serial:    instrument.Serial{Baud: in.Baud, Bits: in.Bits, Parity: in.Parity, Stop: in.Stop, Flow: in.Flow},
	}, l.rows)
	if err != nil {
		return nil, err
	}
	i.Retired = in.Retired
	switch {
	case at < 0:
		l.rows = append(l.rows, i)
	case sameInstrument(l.rows[at], i):
		return nil, nil
	case strings.TrimSpace(in.Why) == "":
		return nil, invalid("why", "Say why: what is changed here changes what later readings are of.")
	default:
		l.rows[at] = i
	}
	return []any{&i, text}, nil
}

// named is where the instrument in use with a name stands; of several with that name, the one that belongs to a tag.
// -1: there is none.
func (l *instrumentList) named(name, belongs string) int {
	found := -1
	for at, i := range l.rows {
		switch {
		case i.Retired || i.Name != name:
		case i.Belongs == belongs:
			return at
		case found >= 0:
			return -1
		default:
			found = at
		}
	}
	return found
}

// sameInstrument reports whether two rows say the same of an instrument, however they were written.
func sameInstrument(x, y ledger.Instrument) bool {
	return x.Kind == y.Kind && x.Belongs == y.Belongs && profileOf(x) == profileOf(y) && x.Retired == y.Retired &&
		reflect.DeepEqual(addressOf(x), addressOf(y))
}

// importInstruments takes a list of instruments in, and connects them. What changed in the register since the list was
// read is looked at again.
func (ws *Workshop) importInstruments(j *importJob, who person.Person) {
	list, err := ws.instrumentList()
	var records []any
	var why []string
	for _, row := range j.file.Rows {
		if err != nil {
			break
		}
		var of []any
		of, err = list.take(*row.Instrument)
		if reason := strings.TrimSpace(row.Instrument.Why); reason != "" && len(of) > 0 && !slices.Contains(why, reason) {
			why = append(why, reason)
		}
		records = append(records, of...)
	}
	if err == nil && len(records) > 0 {
		err = ws.Ledger.Record(ws.act("", "instruments imported", who, strings.Join(why, "; ")), records...)
	}
	j.file, j.All, j.Done, j.State = nil, len(records), len(records), "done"
	if err != nil {
		j.State, j.Why, j.Done = "failed", err.Error()+" Nothing of it stays.", 0
		return
	}
	for _, record := range records {
		if i, is := record.(*ledger.Instrument); is {
			ws.connect(*i)
		}
	}
}

// instrumentTable is the register of instruments as a list that can be changed and brought in again.
func (ws *Workshop) instrumentTable() (exchange.Table, error) {
	all, err := ws.Instruments()
	return exchange.Table{Name: "instruments", Columns: []string{"name", "belongs", "profile", "transport", "address", "baud",
		"bits", "parity", "stop", "flow", "status", "why"},
		Rows: func(yield func([]any, error) bool) {
			for _, i := range all {
				if i.Retired {
					continue
				}
				number := func(n int) any {
					if n == 0 {
						return nil
					}
					return n
				}
				if !yield([]any{i.Name, i.Belongs, i.Profile, i.Transport, i.Address, number(i.Serial.Baud),
					number(i.Serial.Bits), i.Serial.Parity, i.Serial.Stop, i.Serial.Flow, "in use", nil}, nil) {
					return
				}
			}
		}}, err
}
