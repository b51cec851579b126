package api_test

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"fmt"
	"image"
	"image/jpeg"
	"io"
	"mime"
	"net/http"
	"net/url"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"northneedle/internal/ledger"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// attach hands in a file of a device.
func (c *client) attach(of, id, name string, content []byte) (int, []byte) {
	c.t.Helper()
	return c.handIn(url.Values{"of": {of}, "id": {id}, "name": {name}, "note": {"as delivered"}}, content)
}

// handIn hands in a file as a query says.
func (c *client) handIn(q url.Values, content []byte) (int, []byte) {
	c.t.Helper()
	answer, err := c.http.Post(c.server.URL+"/api/files?"+q.Encode(), "application/octet-stream", bytes.NewReader(content))
	require.NoError(c.t, err)
	defer answer.Body.Close()
	text, err := io.ReadAll(answer.Body)
	require.NoError(c.t, err)
	return answer.StatusCode, text
}

// A document is kept once by its content, as whoever may keep it hands it in, within the room there is; it is in the
// history, in every copy and in the archive, and a content that was changed is found.
func TestDocumentsAreKeptByTheirContent(t *testing.T) {
	h := newHouse(t)
	idris, lead := h.signedIn("Idris Vail"), h.signedIn("Tamsin Orrery")
	scan := []byte("%PDF-1.7\nservice report")
	status, body := idris.attach("device", "MB-0417", `C:\scans\Prüf "3".pdf`, scan)
	require.Equal(t, 200, status, string(body))
	one := decoded[workshop.FilesView](t, string(body)).Files[0]
	sum := sha256.Sum256(scan)
	assert.Equal(t, hex.EncodeToString(sum[:]), one.Hash)
	assert.Equal(t, "application/pdf", one.Type)
	assert.Equal(t, `Prüf "3".pdf`, one.Name)
	status, body = idris.attach("device", "MB-0417", "again.pdf", scan)
	require.Equal(t, 200, status)
	assert.Len(t, decoded[workshop.FilesView](t, string(body)).Files, 1, "handed in twice, as after a lost answer")
	reference := get[[]workshop.ReferenceView](lead, "/api/standards")[0]
	status, _ = lead.attach("reference", reference.ID, "the same sheet.pdf", scan)
	require.Equal(t, 200, status)

	answer, err := idris.http.Get(h.server.URL + "/api/files/" + one.ID)
	require.NoError(t, err)
	content, err := io.ReadAll(answer.Body)
	require.NoError(t, err)
	answer.Body.Close()
	assert.Equal(t, scan, content)
	way, named, err := mime.ParseMediaType(answer.Header.Get("Content-Disposition"))
	require.NoError(t, err)
	assert.Equal(t, "inline", way)
	assert.Equal(t, `Prüf "3".pdf`, named["filename"], "a name with a quotation mark breaks nothing")

	for name, wrong := range map[string][]byte{"page.html": []byte("<html><script>alert(1)</script>"),
		"tool.exe": []byte("MZ\x90\x00\x03")} {
		status, body = idris.attach("device", "MB-0417", name, wrong)
		assert.Equal(t, 422, status, name)
		assert.Contains(t, string(body), "This is not kept", name)
	}
	for who, refused := range map[string]int{"Odile Marsh": 403, "Fenn Castellan": 403, "Bram Ostley": 403, "": 401} {
		c := h.client()
		if who != "" {
			c = h.signedIn(who)
		}
		status, _ = c.attach("device", "MB-0417", "x.txt", []byte("x"))
		assert.Equal(t, refused, status, who)
	}
	status, _ = idris.attach("device", "MB-9999", "x.txt", []byte("x"))
	assert.Equal(t, 404, status)
	history, err := h.ledger.History(1, "attachments/"+one.ID)
	require.NoError(t, err)
	assert.Equal(t, "file added", history[0].Kind)
	assert.Contains(t, fmt.Sprint(get[any](lead, "/api/history/device/MB-0417")), "file added")
	assert.Contains(t, string(h.text(lead, "/api/assets/MB-0417/history.pdf")), "%PDF")

	// Room: many at once do not share the last of it.
	posted[any](lead, "/api/house/files", order{"each": 1000, "of": 2000, "all": 5000})
	assert.Equal(t, "files", lead.problem("/api/house/files", order{"each": 3000, "of": 2000, "all": 5000}, 422).Field)
	status, body = idris.attach("device", "MB-0417", "long.txt", bytes.Repeat([]byte("x"), 1001))
	assert.Equal(t, 422, status)
	assert.Contains(t, string(body), "at most 1 kB")
	var group sync.WaitGroup
	var mutex sync.Mutex
	taken := 0
	for n := range 8 {
		group.Go(func() {
			if status, _ := idris.attach("device", "MB-0417", "n.txt", bytes.Repeat([]byte{byte('a' + n)},
				900)); status == 200 {
				mutex.Lock()
				defer mutex.Unlock()
				taken++
			}
		})
	}
	group.Wait()
	assert.Equal(t, 2, taken)

	assert.Equal(t, 422, statusOf(idris.call("POST", "/api/files/"+one.ID+"/end", order{"reason": " "})))
	require.Equal(t, 204, statusOf(idris.call("POST", "/api/files/"+one.ID+"/end", order{"reason": "of another device"})))
	assert.Len(t, get[workshop.FilesView](idris, "/api/files?of=device&id=MB-0417").Files, 2)
	packed := h.text(lead, "/api/files.zip")
	archive, err := zip.NewReader(bytes.NewReader(packed), int64(len(packed)))
	require.NoError(t, err)
	assert.Len(t, archive.File, 4, "three contents and the list")
	list, err := archive.Open("list.csv")
	require.NoError(t, err)
	rows, err := io.ReadAll(list)
	require.NoError(t, err)
	assert.Equal(t, 5, strings.Count(string(rows), "\n"), string(rows))
	assert.Contains(t, string(rows), "of another device", "also what was taken off the list")

	_, err = h.ledger.Verify()
	require.NoError(t, err)
	h.edit(t, "UPDATE contents SET body = CAST('%PDF-1.7 another report' AS BLOB) WHERE hash = '"+one.Hash+"'")
	_, err = h.ledger.Verify()
	assert.ErrorContains(t, err, "was changed")
	assert.Equal(t, 500, statusOf(idris.call("GET", "/api/files/"+one.ID, nil)), "it is not handed out")
	h.edit(t, "DELETE FROM contents")
	_, err = h.ledger.Verify()
	assert.ErrorContains(t, err, "a file does not hold")
}

// text is what an address answers.
func (h *house) text(c *client, path string) []byte {
	h.t.Helper()
	status, body := c.call(http.MethodGet, path, nil)
	require.Equal(h.t, 200, status, string(body))
	return body
}

// agrees wants every register and every list to be what the log gives: of the runs, those that something came to in the test.
// The others were looked at when the house was made.
func (h *house) agrees(t *testing.T) {
	t.Helper()
	folder := t.TempDir()
	require.NoError(t, h.ledger.Backup(filepath.Join(folder, ledger.File)))
	old := fmt.Sprintf("(SELECT stream FROM events WHERE stream LIKE 'run/%%' GROUP BY stream HAVING max(ord) <= %d)", h.base)
	statements := []string{"DELETE FROM runs WHERE 'run/' || id IN " + old}
	for _, table := range []string{"uses", "results", "loose_ends", "fittings"} {
		statements = append(statements, "DELETE FROM "+table+" WHERE 'run/' || run_id IN "+old)
	}
	for _, statement := range append(statements, "DELETE FROM events WHERE stream IN "+old) {
		edit(t, folder, statement)
	}
	copied, err := ledger.Open(folder)
	require.NoError(t, err)
	defer copied.Close()
	differences, err := copied.Rebuild()
	require.NoError(t, err)
	assert.Empty(t, differences)
}

// edit changes the record behind the product's back.
func (h *house) edit(t *testing.T, statement string) {
	t.Helper()
	edit(t, h.folder, statement)
}

// edit changes the record in a folder by a statement of SQL.
func edit(t *testing.T, folder, statement string) {
	t.Helper()
	db, err := sql.Open("sqlite", filepath.Join(folder, ledger.File))
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec(statement)
	require.NoError(t, err)
}

// A photograph is kept small, and without what its camera wrote beside it; what is none is refused in words.
func TestAPhotographIsKeptWithoutWhereItWasTaken(t *testing.T) {
	h := newHouse(t)
	idris := h.signedIn("Idris Vail")
	var picture bytes.Buffer
	require.NoError(t, jpeg.Encode(&picture, image.NewGray(image.Rect(0, 0, 2400, 1200)), nil))
	beside := "taken at 54.1 N 7.9 E"
	comment := append([]byte{0xff, 0xfe, 0, byte(len(beside) + 2)}, beside...)
	taken := slices.Concat(picture.Bytes()[:2], comment, picture.Bytes()[2:])
	q := url.Values{"of": {"device"}, "id": {"MB-0417"}, "name": {"IMG_0042.HEIC"}, "photo": {"true"}}
	for range 2 { // the second time as after a lost answer
		status, text := idris.handIn(q, taken)
		require.Equal(t, 200, status, string(text))
	}
	all := get[workshop.FilesView](idris, "/api/files?of=device&id=MB-0417").Files
	require.Len(t, all, 1)
	assert.Equal(t, "IMG_0042.jpg", all[0].Name)
	assert.Equal(t, "image/jpeg", all[0].Type)
	kept := h.text(idris, "/api/files/"+all[0].ID)
	assert.NotContains(t, string(kept), "54.1")
	size, err := jpeg.DecodeConfig(bytes.NewReader(kept))
	require.NoError(t, err)
	assert.Equal(t, []int{1600, 800}, []int{size.Width, size.Height})
	for _, wrong := range [][]byte{[]byte("%PDF-1.7"), taken[:200]} {
		status, text := idris.handIn(q, wrong)
		assert.Equal(t, 422, status)
		assert.Contains(t, string(text), "This is not kept: it is")
	}
	_, err = h.ledger.Verify()
	require.NoError(t, err)
}
