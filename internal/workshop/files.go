package workshop

import (
	"archive/zip"
	"cmp"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"strings"
	"time"

	"northneedle/core/person"
	"northneedle/internal/exchange"
	"northneedle/internal/files"
	"northneedle/internal/ledger"

	"github.com/oklog/ulid/v2"
)

// filesSetting names the setting that says how much of files is kept.
const filesSetting = "files"

// FileView is a document or photograph.
type FileView struct {
	ID   string    `json:"id"`
	Name string    `json:"name"`
	Type string    `json:"type" doc:"media type"`
	Size string    `json:"size" doc:"in words"`
	Note string    `json:"note"`
	Hash string    `json:"hash" doc:"SHA-256 of its content"`
	By   string    `json:"by"`
	At   time.Time `json:"at"`
}

// FilesView are the files of a device or reference.
type FilesView struct {
	Files []FileView `json:"files" doc:"the latest first"`
	Room  string     `json:"room" doc:"how much is kept here, of how much there is room for, in words"`
}

// FileOrder is a file to keep.
type FileOrder struct {
	Of    string // device or reference
	ID    string
	Name  string
	Note  string
	Photo bool // it is a photograph: it is kept small, turned, and without what its camera wrote beside it
}

// subjectOf is what files are about, as the log calls it.
func (ws *Workshop) subjectOf(of, id string) (string, error) {
	if of == "device" {
		a, err := ws.Ledger.Asset(id)
		return "assets/" + a.ID, err
	}
	s, err := ws.Ledger.Standard(id)
	return "standards/" + s.ID, err
}

// FileRoom are how much of files is kept.
func (ws *Workshop) FileRoom() (files.Room, error) {
	rules := files.Default
	err := ws.Ledger.Setting(filesSetting, &rules)
	return rules, err
}

// SetFileRoom sets how much of files is kept; what is kept already stays.
func (ws *Workshop) SetFileRoom(rules files.Room, who person.Person) error {
	if err := rules.Check(); err != nil {
		return invalid("files", Sentence(err))
	}
	return ws.Ledger.SetSetting(ws.act("", "room for files set", who, ""), filesSetting, rules)
}

// Files are those of a device or reference.
func (ws *Workshop) Files(of, id string) (v FilesView, err error) {
	subject, err := ws.subjectOf(of, id)
	if err != nil {
		return v, err
	}
	all, err := ws.Ledger.Attachments(subject)
	if err != nil {
		return v, err
	}
	v.Files = make([]FileView, len(all))
	for i, f := range all {
		v.Files[i] = FileView{f.ID, f.Name, f.Type, files.Size(f.Size), f.Note, f.Hash, f.By, f.At}
	}
	rules, err := ws.FileRoom()
	if err != nil {
		return v, err
	}
	here, _, err := ws.Ledger.Kept(subject)
	v.Room = fmt.Sprintf("%s of %s", files.Size(here), files.Size(rules.Of))
	return v, err
}

// AddFile keeps a file of a device or reference. The same content handed in again, as after a lost answer, changes nothing.
func (ws *Workshop) AddFile(o FileOrder, content []byte, who person.Person) error {
	subject, err := ws.subjectOf(o.Of, o.ID)
	if err != nil {
		return err
	}
	if o.Photo {
		if content, err = files.Photo(content); err != nil {
			return invalid("file", "This is not kept: "+err.Error()+".")
		}
		o.Name = strings.TrimSuffix(o.Name, path.Ext(o.Name)) + ".jpg"
	}
	sort, err := files.TypeOf(content)
	if err != nil {
		return invalid("file", "This is not kept: "+err.Error()+".")
	}
	ws.filing.Lock() // two at once do not share the last of the room
	defer ws.filing.Unlock()
	hash := files.Hash(content)
	here, err := ws.Ledger.Attachments(subject)
	if err != nil {
		return err
	}
	for _, f := range here {
		if f.Hash == hash {
			return nil
		}
	}
	rules, err := ws.FileRoom()
	if err != nil {
		return err
	}
	of, all, err := ws.Ledger.Kept(subject)
	if err != nil {
		return err
	}
	if err := rules.Fits(int64(len(content)), of, all); err != nil {
		return invalid("file", "This is not kept: "+err.Error()+".")
	}
	now := ws.Clock()
	f := ledger.Attachment{ID: ulid.Make().String(), Hash: hash, Subject: subject, Name: files.Name(o.Name), Type: sort,
		Size: int64(len(content)), Note: strings.TrimSpace(o.Note), By: who.Name, At: now}
	return ws.Ledger.Attach(ws.act("", "file added", who, f.Name), f, content)
}

// EndFile takes a file off the list of its device or reference, with a reason. It stays in the record.
func (ws *Workshop) EndFile(id, why string, who person.Person) error {
	if strings.TrimSpace(why) == "" {
		return invalid("reason", "Say why it is taken off: it stays in the record with that.")
	}
	f, err := ws.Ledger.Attachment(id)
	if err != nil {
		return err
	}
	if f.Ended != nil {
		return nil
	}
	now := ws.Clock()
	f.Ended, f.Why = &now, strings.TrimSpace(why)
	return ws.Ledger.Record(ws.act("", "file taken off the list", who, f.Name+": "+f.Why), &f)
}

// FileContent is what a file holds.
func (ws *Workshop) FileContent(id string) (File, error) {
	f, err := ws.Ledger.Attachment(id)
	if err != nil {
		return File{}, err
	}
	body, err := ws.Ledger.Content(f.Hash)
	return File{Name: f.Name, Type: f.Type, Save: strings.HasPrefix(f.Type, "text/"), Body: body}, err
}

// endings are what the names of files in an archive end with, by their media type.
var endings = map[string]string{"application/pdf": ".pdf", "image/jpeg": ".jpg", "image/png": ".png"}

// AllFiles are all files that there are or were in one archive, each content once, with a list of them.
func (ws *Workshop) AllFiles(who person.Person) (File, error) {
	all, err := ws.Ledger.AllAttachments()
	if err != nil {
		return File{}, err
	}
	f := File{Name: "files-" + ws.Clock().Format(time.DateOnly) + ".zip", Type: "application/zip", Save: true}
	if f.From, err = passing(func(out *os.File) error { return ws.archive(all, out) }); err != nil {
		return File{}, err
	}
	return f, ws.HandedOut("all files", who)
}

func (ws *Workshop) archive(all []ledger.Attachment, out io.Writer) error {
	archive := zip.NewWriter(out)
	list := exchange.Table{Columns: []string{"of", "name", "file", "type", "bytes", "sha256", "note", "by", "at",
		"taken off", "why"}}
	var rows [][]any
	packed := map[string]bool{}
	for _, f := range all {
		name := "contents/" + f.Hash + cmp.Or(endings[f.Type], ".txt")
		var ended any
		if f.Ended != nil {
			ended = *f.Ended
		}
		rows = append(rows, []any{f.Subject, f.Name, name, f.Type, f.Size, f.Hash, f.Note, f.By, f.At, ended, f.Why})
		if packed[f.Hash] {
			continue
		}
		packed[f.Hash] = true
		body, err := ws.Ledger.Content(f.Hash)
		if err != nil {
			return err
		}
		into, err := archive.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store, Modified: f.At})
		if err != nil {
			return err
		}
		if _, err := into.Write(body); err != nil {
			return err
		}
	}
	list.Rows = func(yield func([]any, error) bool) {
		for _, r := range rows {
			if !yield(r, nil) {
				return
			}
		}
	}
	text, err := list.CSV()
	if err != nil {
		return err
	}
	into, err := archive.Create("list.csv")
	if err != nil {
		return err
	}
	_, err = into.Write(text)
	return errors.Join(err, archive.Close())
}

// passing is a file on the disk that is gone when it is closed: what is too large to be held in memory is written into it, and
// read from its beginning.
func passing(write func(*os.File) error) (*os.File, error) {
	f, err := os.CreateTemp("", "northneedle")
	if err != nil {
		return nil, err
	}
	err = errors.Join(os.Remove(f.Name()), write(f)) // it has no name from here on
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		f.Close()
		return nil, err
	}
	return f, nil
}
