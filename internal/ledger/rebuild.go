package ledger

import (
	"encoding/json"
	"fmt"
	"northneedle/core/run"
	"sort"
	"strings"

	"gorm.io/gorm"
)

// Difference is a row of a table that is not what the log gives. It was put right.
type Difference struct {
	Table, Key string
	Columns    []Changed // how it was found (Before), and what the log gives (After)
	Missing    bool      // it was not there
	Extra      bool      // the log knows of none
}

func (d Difference) String() string {
	switch {
	case d.Missing:
		return fmt.Sprintf("%s %s was missing", d.Table, d.Key)
	case d.Extra:
		return fmt.Sprintf("%s %s was there, and the log knows of none", d.Table, d.Key)
	}
	var words []string
	for _, c := range d.Columns {
		words = append(words, fmt.Sprintf("%s was %q, the log gives %q", c.Column, c.Before, c.After))
	}
	return fmt.Sprintf("%s %s: %s", d.Table, d.Key, strings.Join(words, "; "))
}

// Rebuild recomputes every table from the log in one transaction. It returns the rows that differed.
func (l *Ledger) Rebuild() ([]Difference, error) {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	l.runs = map[string]folded{}
	var all []Difference
	err := l.write.Transaction(func(tx *gorm.DB) error {
		records, err := rebuildRecords(tx)
		if err != nil {
			return err
		}
		runs, err := l.rebuildRuns(tx)
		all = append(records, runs...)
		return err
	})
	return all, err
}

// rebuildRecords holds the tables of records against the last that the log says of each row.
func rebuildRecords(tx *gorm.DB) ([]Difference, error) {
	want := map[string]map[string]json.RawMessage{}
	touched := map[string][]Touch{}
	for name := range recordTables {
		want[name] = map[string]json.RawMessage{}
	}
	var batch []Event
	err := tx.Order("ord").Where("stream NOT LIKE ?", runStream+"%").FindInBatches(&batch, 500,
		func(*gorm.DB, int) error {
			for _, e := range batch {
				var data recorded
				if err := json.Unmarshal([]byte(e.Data), &data); err != nil {
					return fmt.Errorf("event %d of %s: %w", e.Seq, e.Stream, err)
				}
				if touches := e.about(data); touches != "" {
					touched[touches] = append(touched[touches], Touch{touches, e.Ord})
				}
				for _, c := range data.Changes {
					if want[c.Table] == nil {
						return fmt.Errorf("event %d of %s changes %s, which this version does not know", e.Seq,
							e.Stream, c.Table)
					}
					want[c.Table][c.Key] = c.After
					subject := c.Table + "/" + c.Key
					if list := touched[subject]; len(list) == 0 || list[len(list)-1].Ord != e.Ord {
						touched[subject] = append(list, Touch{subject, e.Ord})
					}
				}
			}
			return nil
		}).Error
	if err != nil {
		return nil, err
	}
	names := make([]string, 0, len(recordTables))
	for name := range recordTables {
		names = append(names, name)
	}
	sort.Strings(names)
	var all []Difference
	for _, name := range names {
		found, err := recordTables[name].reconcile(tx, want[name])
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		all = append(all, found...)
	}
	touches, err := rebuildTouches(tx, touched)
	return append(all, touches...), err
}

// rebuildTouches holds the index of histories against the log.
func rebuildTouches(tx *gorm.DB, want map[string][]Touch) ([]Difference, error) {
	rows, err := many[Touch](tx.Order("subject, ord"))
	if err != nil {
		return nil, err
	}
	have := map[Touch]bool{}
	for _, t := range rows {
		have[t] = true
	}
	var all []Difference
	for subject, list := range want {
		for _, t := range list {
			if !have[t] {
				all = append(all, Difference{Table: "touches", Key: subject, Missing: true})
				if err := tx.Save(&t).Error; err != nil {
					return nil, err
				}
			}
			delete(have, t)
		}
	}
	for t := range have {
		all = append(all, Difference{Table: "touches", Key: t.Subject, Extra: true})
		if err := tx.Where("subject = ? AND ord = ?", t.Subject, t.Ord).Delete(&Touch{}).Error; err != nil {
			return nil, err
		}
	}
	return all, nil
}

// reconcile makes a table's records what they should be, and says which were not.
func (t table) reconcile(tx *gorm.DB, want map[string]json.RawMessage) ([]Difference, error) {
	where := ""
	if t.keep != "" {
		where = " WHERE " + t.keep
	}
	var rows []struct{ Key, Row string }
	if err := tx.Raw(fmt.Sprintf(`SELECT CAST("%s" AS TEXT) AS key, %s AS row FROM "%s"%s ORDER BY 1`, t.key, t.object,
		t.name, where)).Scan(&rows).Error; err != nil {
		return nil, err
	}
	defaults, err := t.defaults(tx)
	if err != nil {
		return nil, err
	}
	for key, row := range want {
		if want[key], err = withDefaults(row, defaults); err != nil {
			return nil, err
		}
	}
	var all []Difference
	seen := map[string]bool{}
	for _, r := range rows {
		seen[r.Key] = true
		should, known := want[r.Key]
		if known && string(should) == r.Row {
			continue
		}
		d := Difference{Table: t.name, Key: r.Key, Extra: len(should) == 0}
		if !d.Extra {
			columns, err := differences(change{t.name, r.Key, json.RawMessage(r.Row), should})
			if err != nil {
				return nil, err
			}
			if len(columns) == 0 { // the same, written in another way
				continue
			}
			d.Columns = columns
		}
		all = append(all, d)
		if err := t.put(tx, r.Key, should); err != nil {
			return nil, err
		}
	}
	missing := []string{}
	for key, should := range want {
		if !seen[key] && len(should) > 0 {
			missing = append(missing, key)
		}
	}
	sort.Strings(missing)
	for _, key := range missing {
		all = append(all, Difference{Table: t.name, Key: key, Missing: true})
		if err := t.put(tx, key, want[key]); err != nil {
			return nil, err
		}
	}
	return all, nil
}

// defaults are what the columns of a table hold where nothing was said of them, as JSON by their names: a row that the
// log knows from before a column was added has that in it.
func (t table) defaults(tx *gorm.DB) (map[string]json.RawMessage, error) {
	var columns []struct{ Name, Value string }
	err := tx.Raw("SELECT name, dflt_value AS value FROM pragma_table_info(?) WHERE dflt_value IS NOT NULL",
		t.name).Scan(&columns).Error
	all := make(map[string]json.RawMessage, len(columns))
	for _, c := range columns {
		var text string
		if err := tx.Raw("SELECT json_quote(" + c.Value + ")").Scan(&text).Error; err != nil {
			return nil, err
		}
		all[c.Name] = json.RawMessage(text)
	}
	return all, err
}

// withDefaults is a row as the log has it, with the defaults of the columns that it does not name; no row stays none.
func withDefaults(row json.RawMessage, defaults map[string]json.RawMessage) (json.RawMessage, error) {
	if len(row) == 0 || len(defaults) == 0 {
		return row, nil
	}
	var values map[string]json.RawMessage
	if err := json.Unmarshal(row, &values); err != nil || values == nil {
		return row, err
	}
	added := false
	for column, value := range defaults {
		if _, named := values[column]; !named {
			values[column], added = value, true
		}
	}
	if !added {
		return row, nil
	}
	return json.Marshal(values)
}

// put writes a row as the log has it; none removes it.
func (t table) put(tx *gorm.DB, key string, row json.RawMessage) error {
	if err := tx.Exec(fmt.Sprintf(`DELETE FROM "%s" WHERE CAST("%s" AS TEXT) = ?`, t.name, t.key), key).Error; err !=
		nil || len(row) == 0 {
		return err
	}
	var values []string
	for _, c := range t.columns {
		values = append(values, fmt.Sprintf("json_extract(@row, '$.%s')", c))
	}
	columns := `"` + strings.Join(t.columns, `", "`) + `"`
	return tx.Exec(fmt.Sprintf(`INSERT INTO "%s" (%s) SELECT %s`, t.name, columns, strings.Join(values, ", ")),
		map[string]any{"row": string(row)}).Error
}

// runTables are the tables that are computed from the events of runs, with what their rows are
// compared by: all but the number that a new row happens to get.
var runTables = []table{derived(&Run{}), derived(&OpenItem{}), derived(&Result{}), derived(&Use{}),
	derived(&Fitting{})}

func derived(model any) table {
	t := tableOf(model)
	if t.name != "runs" {
		t.object = strings.Replace(t.object, `'id', "id", `, "", 1)
	}
	return t
}

// byRun are the rows of a table by their run, each run's in a fixed order.
func (t table) byRun(tx *gorm.DB) (map[string][]string, error) {
	var rows []struct{ Run, Row string }
	if err := tx.Raw(fmt.Sprintf(`SELECT "%s" AS run, %s AS row FROM "%s" ORDER BY 1, 2`, t.runColumn(), t.object,
		t.name)).Scan(&rows).Error; err != nil {
		return nil, err
	}
	all := map[string][]string{}
	for _, r := range rows {
		all[r.Run] = append(all[r.Run], r.Row)
	}
	return all, nil
}

// runColumn is the column of a table that names the run.
func (t table) runColumn() string {
	if t.name == "runs" {
		return "id"
	}
	return "run_id"
}

// rebuildRuns recomputes the rows of every run from its events.
func (l *Ledger) rebuildRuns(tx *gorm.DB) ([]Difference, error) {
	var streams []string
	if err := tx.Model(&Event{}).Where("stream LIKE ?", runStream+"%").Group("stream").Order("min(ord)").Pluck("stream",
		&streams).Error; err != nil {
		return nil, err
	}
	known := map[string]bool{}
	for _, stream := range streams {
		known[strings.TrimPrefix(stream, runStream)] = true
	}
	before, err := rowsOfRuns(tx)
	if err != nil {
		return nil, err
	}
	extra, err := dropUnknownRuns(tx, known)
	if err != nil {
		return nil, err
	}
	replaced := map[string]string{}
	for _, stream := range streams {
		id := strings.TrimPrefix(stream, runStream)
		r, head, events, err := l.foldIn(tx, id)
		if err != nil {
			return nil, err
		}
		for _, model := range []any{&Use{}, &Result{}, &OpenItem{}, &Fitting{}} {
			if err := tx.Where("run_id = ?", id).Delete(model).Error; err != nil {
				return nil, err
			}
		}
		if err := tx.Where("id = ?", id).Delete(&Run{}).Error; err != nil {
			return nil, err
		}
		if _, err := projectRun(tx, r, events, head); err != nil {
			return nil, fmt.Errorf("run %s: %w", id, err)
		}
		if r.Replaces != "" && r.Status == run.Signed {
			replaced[r.Replaces] = id
		}
	}
	for was, by := range replaced { // what other runs say of a run
		if err := tx.Model(&Run{}).Where("id = ?", was).Update("replaced_by", by).Error; err != nil {
			return nil, err
		}
	}
	after, err := rowsOfRuns(tx)
	if err != nil {
		return nil, err
	}
	all := extra
	for _, stream := range streams {
		id := strings.TrimPrefix(stream, runStream)
		for i, t := range runTables {
			was, now := before[i][id], after[i][id]
			if strings.Join(was, "\n") == strings.Join(now, "\n") {
				continue
			}
			d := Difference{Table: t.name, Key: id, Missing: len(was) < len(now), Extra: len(was) > len(now)}
			for n := range min(len(was), len(now)) {
				if was[n] != now[n] && len(was) == len(now) {
					changed, err := columnsOf(t, was[n], now[n])
					if err != nil {
						return nil, err
					}
					d.Columns = append(d.Columns, changed...)
				}
			}
			all = append(all, d)
		}
	}
	return all, nil
}

// rowsOfRuns are the rows of each of runTables, by their run.
func rowsOfRuns(tx *gorm.DB) ([]map[string][]string, error) {
	var all []map[string][]string
	for _, t := range runTables {
		rows, err := t.byRun(tx)
		if err != nil {
			return nil, err
		}
		all = append(all, rows)
	}
	return all, nil
}

// dropUnknownRuns removes rows of runs that the log knows no event of.
func dropUnknownRuns(tx *gorm.DB, known map[string]bool) ([]Difference, error) {
	var all []Difference
	for _, t := range runTables {
		column, which := t.runColumn(), "run_id NOT IN (SELECT id FROM runs WHERE paper = 1)"
		if t.name == "runs" {
			which = "paper = 0"
		}
		var ids []string
		if err := tx.Raw(fmt.Sprintf(`SELECT DISTINCT "%s" FROM "%s" WHERE %s`, column, t.name,
			which)).Scan(&ids).Error; err != nil {
			return nil, err
		}
		for _, id := range ids {
			if known[id] {
				continue
			}
			all = append(all, Difference{Table: t.name, Key: id, Extra: true})
			if err := tx.Exec(fmt.Sprintf(`DELETE FROM "%s" WHERE "%s" = ?`, t.name, column), id).Error; err != nil {
				return nil, err
			}
		}
	}
	return all, nil
}

// columnsOf are the columns in which two rows of a table differ.
func columnsOf(t table, was, is string) ([]Changed, error) {
	a, err := cells(json.RawMessage(was))
	if err != nil {
		return nil, err
	}
	b, err := cells(json.RawMessage(is))
	if err != nil {
		return nil, err
	}
	var all []Changed
	for _, c := range t.columns {
		if a[c] != b[c] {
			all = append(all, Changed{c, shownValue(a[c]), shownValue(b[c])})
		}
	}
	return all, nil
}
