package ledger_test

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"testing"
	"time"

	"northneedle/core/person"
	"northneedle/internal/definition"
	"northneedle/internal/demo"
	"northneedle/internal/ledger"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// within runs statements on a ledger's file as another program would.
func within(t *testing.T, folder string, do func(db *sql.DB)) {
	t.Helper()
	db, err := sql.Open("sqlite", filepath.Join(folder, ledger.File))
	require.NoError(t, err)
	do(db)
	require.NoError(t, db.Close())
}

// One cell of every table is edited, one row taken away and one put in, behind the log's back: each is
// named, and put right.
func TestEveryTableIsHeldAgainstTheLog(t *testing.T) {
	folder := t.TempDir()
	l, err := ledger.Open(folder)
	require.NoError(t, err)
	all, err := definition.Shipped()
	require.NoError(t, err)
	require.NoError(t, demo.Fill(l, all, nil, "a long password", 1, time.Date(2026, 3, 2, 6, 0, 0, 0, time.Local)))
	require.NoError(t, l.Record(ledger.Act{Kind: "round planned", By: idris, At: now}, &ledger.Round{
		Day:    "2026-03-03",
		People: []string{"Idris Vail"},
		By:     "Idris Vail",
		At:     now,
	}))
	require.NoError(t, l.Record(ledger.Act{Kind: "instrument entered", By: idris, At: now}, &ledger.Instrument{
		ID:      "i",
		Name:    "Gas bench",
		Kind:    "gas",
		Address: "127.0.0.1:1",
	}, &ledger.Instrument{ID: "j"}, &ledger.ProfileText{Hash: "h", ID: "balance", Text: "id: balance"}))
	require.NoError(t, l.Record(ledger.Act{Kind: "correction set", By: idris, At: now},
		&ledger.TestCorrection{ID: "c", Test: "urea", Slope: 1.08}))
	require.NoError(t, l.Record(ledger.Act{Kind: "token made", By: idris, At: now}, &ledger.Token{ID: "t",
		Kind: ledger.OfCalendar, Hash: "h"}))
	require.NoError(t, l.Record(ledger.Act{Kind: "own passkey added", By: idris, At: now}, &ledger.Passkey{ID: "k"},
		&ledger.Fault{ID: "f"}, &ledger.Letter{ID: "l"}, &ledger.ProcedureDraft{ID: "d"}, &ledger.ReferenceCheck{ID: "c"}))
	require.NoError(t, l.Attach(ledger.Act{Kind: "file added", By: idris, At: now}, ledger.Attachment{ID: "f",
		Subject: "assets/d",
		Hash:    "2d711642b726b04401627ca9fbac32f5c8530fb1903cc4db02258717921a4881"}, []byte("x")))
	require.NoError(t, l.SetSetting(ledger.Act{Kind: "prices set", By: idris, At: now}, "prices", 5))
	require.NoError(t, l.Close())

	edited := map[string]string{} // the key by the table
	within(t, folder, func(db *sql.DB) {
		tables := []string{}
		rows, err := db.Query(`SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%' AND name NOT IN ('events', 'sessions', 'migrations', 'contents')`)
		require.NoError(t, err)
		for rows.Next() {
			var name string
			require.NoError(t, rows.Scan(&name))
			tables = append(tables, name)
		}
		for _, table := range tables {
			key := map[string]string{
				"people":              "id",
				"settings":            "key",
				"rounds":              "day",
				"procedure_revisions": "hash",
				"profile_texts":       "hash",
				"touches":             "subject",
				"results":             "run_id",
				"uses":                "run_id",
				"fittings":            "run_id",
				"loose_ends":          "run_id",
			}[table]
			if key == "" {
				key = "id"
			}
			var row, id string
			require.NoError(t, db.QueryRow(fmt.Sprintf(`SELECT rowid, "%s" FROM "%s" ORDER BY rowid DESC LIMIT 1`, key,
				table)).Scan(&row, &id), table)
			edited[table] = id
			column := map[string]string{"settings": "value", "touches": "ord", "results": "indicated", "uses": "role",
				"loose_ends": "what", "procedure_revisions": "revision", "people": "role", "rounds": "by",
				"activity_notes": "text", "activities": "reason", "assets": "serial", "standards": "note",
				"standard_certificates": "parent", "gauges": "bar", "runs": "place", "instruments": "address", "profile_texts": "text",
				"competences": "family", "tokens": "purpose", "passkeys": "name", "attachments": "name", "faults": "what", "control_lots": "mean", "control_values": "value", "test_corrections": "slope", "look_backs": "found", "notices": "answer",
				"fittings": "lot", "contacts": "mail", "letters": "text", "safety_notices": "title", "safety_devices": "note", "procedure_drafts": "why", "reference_checks": "note"}[table]
			require.NotEmpty(t, column, "a table without an edit: "+table)
			done, err := db.Exec(fmt.Sprintf(`UPDATE "%s" SET "%s" = 77 WHERE rowid = ?`, table, column), row)
			require.NoError(t, err, table)
			n, err := done.RowsAffected()
			require.NoError(t, err)
			require.EqualValues(t, 1, n, table)
		}
		_, err = db.Exec(`DELETE FROM assets WHERE id = 'dev-MB-0417'`)
		require.NoError(t, err)
		_, err = db.Exec(`INSERT INTO people (id, name, role, active) VALUES ('ghost', 'Nobody Known', 'lead', 1)`)
		require.NoError(t, err)
	})

	l, err = ledger.Open(folder)
	require.NoError(t, err)
	_, err = l.Verify()
	require.NoError(t, err, "the log itself holds")
	differences, err := l.Rebuild()
	require.NoError(t, err)
	named := map[string]bool{}
	for _, d := range differences {
		named[d.Table+" "+d.Key] = true
	}
	for table, id := range edited {
		assert.True(t, named[table+" "+id], "%s %s is not named", table, id)
	}
	assert.True(t, named["assets dev-MB-0417"], "a row that was taken away")
	assert.True(t, named["people ghost"], "a row that was put in")
	assert.Len(t, differences, len(edited)+3,
		"and nothing else: an index of histories lost one entry, and has one too many")
	again, err := l.Rebuild()
	require.NoError(t, err)
	assert.Empty(t, again, "they were put right")
	require.NoError(t, l.Close())
}

func TestAHistoryTellsWhoChangedWhat(t *testing.T) {
	l, err := ledger.Open(t.TempDir())
	require.NoError(t, err)
	defer l.Close()
	a := ledger.Asset{ID: "d", Tag: "MB-1", Place: "Ward 3", Status: ledger.InUse}
	require.NoError(t, l.Record(ledger.Act{ID: "entered-1", Kind: "device entered", By: idris, At: now}, &a))
	a.Place = "Ward 4"
	moved := ledger.Act{ID: "moved-1", Kind: "device moved", By: idris, At: now.Add(time.Hour), Why: "the ward moved"}
	require.NoError(t, l.Record(moved, &a))
	require.NoError(t, l.Record(moved, &a), "sent again")
	assert.ErrorIs(t, l.Record(ledger.Act{ID: "moved-1", Kind: "device withdrawn", By: idris, At: now},
		&ledger.Asset{ID: "d"}), ledger.ErrUsed)
	history, err := l.History(10, "assets/d")
	require.NoError(t, err)
	require.Len(t, history, 2)
	assert.Equal(t, ledger.Happened{
		Ord:     2,
		Kind:    "device moved",
		By:      idris,
		At:      moved.At,
		Why:     "the ward moved",
		Changes: []ledger.Changed{{Column: "place", Before: "Ward 3", After: "Ward 4"}},
	}, history[0])
	p := ledger.Person{ID: "p", Name: "Idris Vail", PasswordHash: "$argon2id$secret"}
	require.NoError(t, l.Save(&p))
	history, err = l.History(10, "people/")
	require.NoError(t, err)
	assert.NotContains(t, fmt.Sprint(history), "secret", "a password's hash is nobody's to read")
}

// A file that is not ours, or a newer version's, is refused in words by everything that opens one,
// and stays as it is.
func TestAFileThatIsNotOursIsRefused(t *testing.T) {
	folder := t.TempDir()
	l, _ := begun(t, folder)
	require.NoError(t, l.Close())
	ours, err := os.ReadFile(filepath.Join(folder, ledger.File))
	require.NoError(t, err)
	made := func(t *testing.T, do func(db *sql.DB)) []byte {
		other := t.TempDir()
		within(t, other, do)
		text, err := os.ReadFile(filepath.Join(other, ledger.File))
		require.NoError(t, err)
		return text
	}
	for name, c := range map[string]struct {
		text  []byte
		words string
	}{
		"empty":       {nil, "is empty"},
		"no database": {bytes.Repeat([]byte("this is no ledger "), 100), "is no database"},
		"foreign": {made(t, func(db *sql.DB) {
			_, err := db.Exec("CREATE TABLE people (id text); INSERT INTO people VALUES ('a')")
			require.NoError(t, err)
		}), "belongs to another program"},
		"newer": {func() []byte {
			other := t.TempDir()
			require.NoError(t, os.WriteFile(filepath.Join(other, ledger.File), ours, 0o600))
			within(t, other, func(db *sql.DB) {
				_, err := db.Exec("INSERT INTO migrations VALUES ('0999-of-tomorrow')")
				require.NoError(t, err)
			})
			text, err := os.ReadFile(filepath.Join(other, ledger.File))
			require.NoError(t, err)
			return text
		}(), "newer version"},
	} {
		t.Run(name, func(t *testing.T) {
			folder := t.TempDir()
			file := filepath.Join(folder, ledger.File)
			require.NoError(t, os.WriteFile(file, c.text, 0o600))
			_, err := ledger.Open(folder)
			assert.ErrorContains(t, err, c.words)
			_, err = ledger.OpenKept(folder)
			assert.ErrorContains(t, err, c.words)
			_, err = ledger.Look(file)
			assert.ErrorContains(t, err, c.words)
			here := t.TempDir()
			l, r := begun(t, here)
			_, _, err = l.Replace(file, ledger.Act{Kind: "backup put back", By: idris, At: now})
			assert.ErrorContains(t, err, c.words)
			_, err = l.Run(r.ID)
			assert.NoError(t, err, "what is there stays")
			require.NoError(t, l.Close())
			_, _, err = ledger.Restore(here, file, now)
			assert.ErrorContains(t, err, c.words)
			after, err := os.ReadFile(file)
			require.NoError(t, err)
			assert.True(t, bytes.Equal(c.text, after), "it was left as it is")
		})
	}
}

// What only reads a record writes nothing beside it: its folder may be one that cannot be written.
func TestReadingARecordWritesNothing(t *testing.T) {
	folder := t.TempDir()
	l, _ := begun(t, folder)
	require.NoError(t, l.Close())
	before, err := os.ReadDir(folder)
	require.NoError(t, err)
	require.NoError(t, os.Chmod(folder, 0o500))
	require.NoError(t, os.Chmod(filepath.Join(folder, ledger.File), 0o400))
	l, err = ledger.OpenKept(folder)
	require.NoError(t, err)
	_, err = l.Verify()
	require.NoError(t, err)
	require.NoError(t, l.Backup(filepath.Join(t.TempDir(), "copy.db")))
	after, err := os.ReadDir(folder)
	require.NoError(t, err)
	assert.Equal(t, len(before), len(after))
	require.NoError(t, l.Close())
	require.NoError(t, os.Chmod(folder, 0o700))
}

func TestAPutBackBackupIsInTheLog(t *testing.T) {
	l, r := begun(t, t.TempDir())
	defer l.Close()
	copied := filepath.Join(t.TempDir(), "copy.db")
	require.NoError(t, l.Backup(copied))
	carry(t, l, r, noted("what came after"))
	_, _, err := l.Replace(copied, ledger.Act{Kind: "backup put back", By: idris, At: now, Why: "a wrong import"})
	require.NoError(t, err)
	history, err := l.History(5, "record/")
	require.NoError(t, err)
	require.Len(t, history, 1)
	assert.Equal(t, idris, history[0].By)
	_, err = l.Verify()
	assert.NoError(t, err)
	differences, err := l.Rebuild()
	require.NoError(t, err)
	assert.Empty(t, differences)
}

// landed are the versions of the tables that records exist of, with the hash of their statements:
// none of them changes any more.
var landed = map[string]string{
	"0001-one-log":             "aca986c60bf387ae60095a57f56fbf9a7ac259808c1affe1162e4131200b181c",
	"0002-instruments":         "b2df47e7dcb4e2a603b7175f47669d1db6200e8a5a59f62de88bdfa4b39f9138",
	"0003-not-complete":        "184efb5b7404c92d61c2a3f6d2b603e196d2584b8a61d30819f25b373ab16d66",
	"0006-test-corrections":    "77606cc7c9670e47ba9cede2f880484ac2bc9145366ca6b23559319ee50b656d",
	"0009-tokens":              "015d416cd776f7a2b1bcab2d7e9d2d5c4e98f941b326af3dcd24c9475522f73e",
	"0015-maintained":          "9d28e9ff83fc746b8f712f8b48c5e8b3a60ccda5701553fc049c2beacd82e23c",
	"0016-drafts":              "9630a804a5dd10304d27adf8deb629e8646c1bd3d6c233f509527a13998c22ff",
	"0017-reference-checks":    "7ac35ac21c9b389872c038bac73068cca407b7fd51157d319394d097c4792575",
	"0018-doubles":             "3a8f7f1813792b09829dff44c6314dec985b1a4cf7ef8489423a8c880167dc40",
	"0014-told":                "bacd7bd5bfbe3ac116fdf4cf7e6ca8e065df9309ed2f2315a33112fd111fae44",
	"0013-accepted-owned-kept": "86ca1279b4da4e822103fa70f37ff3feb8840c93eff429a51f982a0b2d7a777b",
	"0012-a-devices-life":      "c55ea320910710270a1fe5b3fb7262a0255728cd640457972fec0b9119cf1fb9",
	"0011-files":               "ba0609a1f406a77da270b6882c90c5a3bd3757e00ba926acaa64a0b2af09adda",
	"0010-ways-to-sign-in":     "047d01703c51f7bd2c1da08a1bbc0acea28afb26a01f23a5cec6b6ff3eac5bfd",
	"0008-competence":          "9253453e49c910105f26dc77cbe252c9c7beb84e8bb37fc953fea643945f57e8",
	"0007-one-time-passwords":  "845229a0274ed711e47641549ef36149595b4ee57e6d1196fdf7ae61aa890a4d",
	"0005-corrective-actions":  "0d83b882aa65b013af0509432b7dcc0fee612296ccf8b11f9c2519af2a77312a",
	"0004-given-back":          "b3eb5b4412e3d94499b47b165069af0e8361843dbe307cfc5e628d0746543b2c",
}

var write = flag.Bool("write-landed", false, "write a small ledger of the newest version into testdata, where it has none")

// A ledger of each landed version is opened by this one: it is brought up to date, holds, and goes on.
func TestLedgersOfEveryLandedVersionAreUpgraded(t *testing.T) {
	shipped, err := filepath.Glob("schema/*.sql")
	require.NoError(t, err)
	require.Len(t, shipped, len(landed), "a new version needs a ledger in testdata")
	for version, hash := range landed {
		t.Run(version, func(t *testing.T) {
			text, err := os.ReadFile(filepath.Join("schema", version+".sql"))
			require.NoError(t, err)
			sum := sha256.Sum256(text)
			assert.Equal(t, hash, hex.EncodeToString(sum[:]), "a landed version never changes: add another")
			kept := filepath.Join("testdata", version+".db.gz")
			if _, err := os.Stat(kept); *write && err != nil {
				writeLanded(t, kept)
			}
			packed, err := os.ReadFile(kept)
			require.NoError(t, err)
			unpack, err := gzip.NewReader(bytes.NewReader(packed))
			require.NoError(t, err)
			content, err := io.ReadAll(unpack)
			require.NoError(t, err)
			folder := t.TempDir()
			require.NoError(t, os.WriteFile(filepath.Join(folder, ledger.File), content, 0o600))
			l, err := ledger.Open(folder)
			require.NoError(t, err)
			defer l.Close()
			_, err = l.Verify()
			require.NoError(t, err)
			differences, err := l.Rebuild()
			require.NoError(t, err)
			assert.Empty(t, differences)
			rows, err := l.RunsIn("open", 10)
			require.NoError(t, err)
			require.Len(t, rows, 1)
			r, err := l.Run(rows[0].ID)
			require.NoError(t, err)
			carry(t, l, r, noted("and on it goes"))
		})
	}
}

func writeLanded(t *testing.T, file string) {
	folder := t.TempDir()
	l, _ := begun(t, folder)
	require.NoError(t, l.Save(&ledger.Person{ID: "idris", Name: "Idris Vail", Role: person.Technician, Active: true}))
	require.NoError(t, l.Save(&ledger.Asset{ID: "gone", Tag: "MB-2", Status: ledger.Gone, Why: "sold"}))
	require.NoError(t, l.Close())
	content, err := os.ReadFile(filepath.Join(folder, ledger.File))
	require.NoError(t, err)
	var packed bytes.Buffer
	pack := gzip.NewWriter(&packed)
	_, err = pack.Write(content)
	require.NoError(t, err)
	require.NoError(t, pack.Close())
	require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
	require.NoError(t, os.WriteFile(file, packed.Bytes(), 0o644))
}
