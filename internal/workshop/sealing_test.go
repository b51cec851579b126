package workshop_test

import (
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"northneedle/core/person"
	"northneedle/internal/definition"
	"northneedle/internal/demo"
	"northneedle/internal/ledger"
	"northneedle/internal/seal"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var today = time.Date(2026, 3, 2, 9, 0, 0, 0, time.Local)

// few is a record of the demo with no more than a dozen runs, made once.
var few = sync.OnceValues(func() ([]byte, error) {
	folder, err := os.MkdirTemp("", "few")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(folder)
	l, err := ledger.Open(folder)
	if err != nil {
		return nil, err
	}
	all, err := definition.Shipped()
	if err = errors.Join(err, demo.Fill(l, all, nil, "a long password", 1, today), l.Close()); err != nil {
		return nil, err
	}
	if err = forged(folder, func(db *sql.DB) error {
		_, err := db.Exec(`DELETE FROM events WHERE stream LIKE 'run/%' AND stream NOT IN
			(SELECT stream FROM events WHERE kind = 'RunSigned' ORDER BY ord LIMIT 12)`)
		return err
	}); err != nil {
		return nil, err
	}
	return os.ReadFile(filepath.Join(folder, ledger.File))
})

// sealed is a small record with three checkpoints, in a folder of its own, and its key in another.
func sealed(t *testing.T) (folder, keys string) {
	t.Helper()
	folder, keys = t.TempDir(), t.TempDir()
	content, err := few()
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(folder, ledger.File), content, 0o600))
	l, err := ledger.Open(folder)
	require.NoError(t, err)
	s, err := seal.New(keys, "")
	require.NoError(t, err)
	require.NoError(t, l.SetSetting(ledger.Act{Kind: "key", By: ledger.Nobody, At: today}, "signing-keys",
		[]seal.Public{s.Public}))
	require.NoError(t, s.Checkpoint(l, today))
	require.NoError(t, l.SetSetting(ledger.Act{Kind: "prices set", By: ledger.Nobody, At: today}, "prices",
		map[string]any{"hour": 60}))
	require.NoError(t, s.Checkpoint(l, today.Add(time.Hour)))
	require.NoError(t, l.SetSetting(ledger.Act{Kind: "prices set", By: ledger.Nobody, At: today}, "prices",
		map[string]any{"hour": 61}))
	require.NoError(t, s.Checkpoint(l, today.Add(2*time.Hour)))
	require.NoError(t, l.Close())
	return folder, keys
}

// copied is a folder's record in another folder.
func copied(t *testing.T, folder string) string {
	t.Helper()
	to := t.TempDir()
	text, err := os.ReadFile(filepath.Join(folder, ledger.File))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(to, ledger.File), text, 0o600))
	return to
}

// forged edits a record like an attacker who has its file and knows its format: it computes every hash again, and brings
// every register in line with the edited log.
func forged(folder string, edit func(db *sql.DB) error) error {
	db, err := sql.Open("sqlite", filepath.Join(folder, ledger.File))
	if err != nil {
		return err
	}
	if err := edit(db); err != nil {
		return err
	}
	rows, err := db.Query(`SELECT ord, stream, event_id, kind, at, "by", data FROM events ORDER BY ord`)
	if err != nil {
		return err
	}
	type event struct {
		ord                            int64
		stream, id, kind, at, by, data string
	}
	var all []event
	for rows.Next() {
		var e event
		if err := rows.Scan(&e.ord, &e.stream, &e.id, &e.kind, &e.at, &e.by, &e.data); err != nil {
			return err
		}
		all = append(all, e)
	}
	tx, err := db.Begin()
	if err != nil {
		return err
	}
	if _, err = tx.Exec(`UPDATE events SET seq = -seq`); err != nil { // out of each other's way
		return err
	}
	head, tips, seqs := "", map[string]string{}, map[string]int{}
	for _, e := range all {
		seqs[e.stream]++
		sum := sha256.New()
		for _, part := range []string{head, tips[e.stream], e.stream, fmt.Sprint(seqs[e.stream]), e.id, e.kind, e.at,
			e.by, e.data} {
			fmt.Fprintf(sum, "%d:%s\n", len(part), part)
		}
		hash := hex.EncodeToString(sum.Sum(nil))
		if _, err = tx.Exec(`UPDATE events SET seq = ?, log = ?, prev = ?, hash = ? WHERE ord = ?`, seqs[e.stream], head, tips[e.stream],
			hash, e.ord); err != nil {
			return err
		}
		head, tips[e.stream] = hash, hash
	}
	if err := errors.Join(tx.Commit(), db.Close()); err != nil {
		return err
	}
	l, err := ledger.Open(folder)
	if err != nil {
		return err
	}
	_, err = l.Rebuild()
	return errors.Join(err, l.Close())
}

func held(t *testing.T, folder string, keys ...string) error {
	t.Helper()
	l, err := ledger.OpenKept(folder)
	require.NoError(t, err)
	_, err = workshop.Hold(l, keys...)
	require.NoError(t, l.Close())
	return err
}

// Whoever has the files can write the whole record anew, so that it holds against itself: it does not hold against what
// was signed of it.
func TestARecordIsHeldAgainstWhatWasSigned(t *testing.T) {
	folder, keys := sealed(t)
	require.NoError(t, held(t, folder, keys))
	exec := func(statement string) func(*sql.DB) error {
		return func(db *sql.DB) error {
			done, err := db.Exec(statement)
			if err != nil {
				return err
			}
			n, err := done.RowsAffected()
			assert.NotZero(t, n, statement)
			return err
		}
	}
	run := `(SELECT stream FROM events WHERE kind = 'RunSigned' ORDER BY ord LIMIT 1 OFFSET 3)`
	for name, edit := range map[string]string{
		"a reading changed and the log chained anew": `UPDATE events SET data = replace(data, '"values":[', '"values":[1') WHERE ord =
			(SELECT ord FROM events WHERE kind = 'ReadingCaptured' AND data LIKE '%"values":[%' AND data NOT LIKE '%"values":[-%' LIMIT 1)`,
		"signer and time changed": `UPDATE events SET "by" = '{"id":"odile","name":"Odile Marsh","role":"manager"}',
			at = '2020-02-29T10:00:00Z' WHERE kind = 'RunSigned' AND stream = ` + run,
		"a run cut from the middle with its rows": `DELETE FROM events WHERE stream = ` + run,
		"the newest events cut off":               `DELETE FROM events WHERE ord = (SELECT max(ord) FROM events)`,
		"a person's role changed in the log":      `UPDATE events SET data = replace(data, '"manager"', '"lead"') WHERE data LIKE '%Odile Marsh%manager%'`,
	} {
		t.Run(name, func(t *testing.T) {
			another := copied(t, folder)
			require.NoError(t, forged(another, exec(edit)))
			assert.NoError(t, held(t, another), "by itself it holds")
			err := held(t, another, keys)
			require.Error(t, err)
			assert.Regexp(t, "checkpoint [123] of", err.Error())
		})
	}

	// Without a hash computed: what is kept of procedures, and every register.
	for name, c := range map[string][2]string{
		"limits edited in a kept procedure": {`UPDATE procedure_revisions SET text = replace(text, '0.3', '0.9')`, "the text of procedure"},
		"a reference's due day edited":      {`UPDATE standard_certificates SET due_on = '2031-01-01 00:00:00'`, "standard_certificates"},
		"a due day edited":                  {`UPDATE activities SET due_on = '2031-01-01 00:00:00'`, "activities"},
		"a price edited":                    {`UPDATE settings SET value = '{"hour":1}' WHERE key = 'prices'`, "settings"},
		"a result made to pass":             {`UPDATE results SET error = 0`, "results"},
		"the gas book emptied":              {`DELETE FROM gauges`, "gauges"},
		"a competence given":                {`UPDATE competences SET person_id = 'fenn'`, "competences"},
	} {
		t.Run(name, func(t *testing.T) {
			another := copied(t, folder)
			db, err := sql.Open("sqlite", filepath.Join(another, ledger.File))
			require.NoError(t, err)
			require.NoError(t, exec(c[0])(db))
			require.NoError(t, db.Close())
			err = held(t, another, keys)
			require.Error(t, err)
			assert.Contains(t, err.Error(), c[1])
		})
	}

	t.Run("checkpoints cut, changed, or by another key", func(t *testing.T) {
		text, err := os.ReadFile(filepath.Join(keys, seal.CheckpointFile))
		require.NoError(t, err)
		lines := strings.SplitAfter(string(text), "\n")
		other, err := seal.New(t.TempDir(), "")
		require.NoError(t, err)
		forged, err := other.Sign(seal.Checkpoint{N: 1, Event: 1, Head: "x"})
		require.NoError(t, err)
		for name, c := range map[string][2]string{
			"one taken away":  {lines[0] + lines[2], "checkpoints were taken away"},
			"of another key":  {forged + "\n", "forged"},
			"one letter else": {strings.Replace(string(text), lines[1][40:44], "AAAA", 1), "checkpoint"},
		} {
			at := t.TempDir()
			require.NoError(t, os.WriteFile(filepath.Join(at, seal.CheckpointFile), []byte(c[0]), 0o600))
			assert.ErrorContains(t, held(t, folder, at), c[1], name)
		}
		second := t.TempDir()
		require.NoError(t, os.WriteFile(filepath.Join(second, seal.CheckpointFile), []byte(lines[0]), 0o600))
		assert.ErrorContains(t, held(t, folder, keys, second), "are not the same")
		require.NoError(t, os.WriteFile(filepath.Join(keys, seal.CheckpointFile), append(text, "half a li"...), 0o600))
		assert.NoError(t, held(t, folder, keys), "a line that a killed program left unfinished was never acknowledged")
	})
}

// An older copy that was put back, said so, holds; an edited one is refused; and one that was put in by hand is found.
func TestACopyPutBackIsHeldAgainstWhatWasSigned(t *testing.T) {
	folder, keys := sealed(t)
	older := copied(t, folder)
	l, err := ledger.Open(folder)
	require.NoError(t, err)
	defer l.Close()
	s, err := seal.New(keys, "")
	require.NoError(t, err)
	goOn := func(what string) {
		require.NoError(t, l.SetSetting(ledger.Act{Kind: what, By: ledger.Nobody, At: today}, "prices", what))
		require.NoError(t, s.Checkpoint(l, today))
	}
	goOn("later")

	edited := copied(t, older)
	require.NoError(t, forged(edited, func(db *sql.DB) error {
		_, err := db.Exec(`UPDATE events SET at = '2020-01-01T00:00:00Z' WHERE kind = 'RunSigned'`)
		return err
	}))
	holds := func(folder string) error {
		return ledger.WithCopy(filepath.Join(folder, ledger.File),
			func(copy *ledger.Ledger) error { return workshop.CopyHolds(copy, s) })
	}
	assert.ErrorContains(t, holds(edited), "the copy was edited")
	require.NoError(t, holds(older))
	assert.ErrorContains(t, held(t, older, keys), "an older copy was put in its place unsaid")

	aside, kept, err := l.Replace(filepath.Join(older, ledger.File), ledger.Act{Kind: "backup put back",
		By: person.Person{ID: "tamsin"}, At: today})
	require.NoError(t, err)
	require.NoError(t, s.Restored(l, kept.Tip, today, "Tamsin Orrery"))
	_, err = workshop.Hold(l, keys)
	require.NoError(t, err, "it was said")
	goOn("after the copy")
	_, err = workshop.Hold(l, keys)
	require.NoError(t, err)
	back := t.TempDir()
	require.NoError(t, os.Rename(aside, filepath.Join(back, ledger.File)))
	require.NoError(t, holds(back), "what stood before can be put back too")
}
