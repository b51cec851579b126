package workshop

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"time"

	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/backup"
	"northneedle/internal/definition"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"
	"northneedle/internal/seal"

	"github.com/oklog/ulid/v2"
)

// ReadBackView is a whole run that was read from a file.
type ReadBackView struct {
	ID      string            `json:"id"`
	Tag     string            `json:"tag"`
	Device  string            `json:"device"`
	Title   string            `json:"title"`
	Status  run.Status        `json:"status"`
	Result  run.Result        `json:"result"`
	By      string            `json:"by"`
	On      time.Time         `json:"on"`
	Events  int               `json:"events"`
	Head    string            `json:"head" doc:"hash of its last event, as its certificate prints it"`
	Points  int               `json:"points" doc:"verdicts computed anew, all as in the file"`
	Here    string            `json:"here" enum:"same,differs,unknown" doc:"whether this record has it"`
	Origin  string            `json:"origin" doc:"the workshop that it names"`
	Ours    bool              `json:"ours" doc:"a key of this workshop signed it; else its people are unknown here"`
	Missing string            `json:"missing,omitempty" doc:"why it cannot be taken in; empty: it can"`
	Taken   bool              `json:"taken"`
	Lines   []ReadBackMeasure `json:"lines"`
}

// ReadBackMeasure is how one measure of it came out.
type ReadBackMeasure struct {
	Title  string `json:"title"`
	Points int    `json:"points"`
	Inside int    `json:"inside"`
}

// RestoreView is what a backup holds, and what was done with it.
type RestoreView struct {
	ledger.Kept
	Restored bool   `json:"restored"`
	Aside    string `json:"aside,omitempty" doc:"file in which what was there is kept"`
}

// ReadBack reads a whole run from a file, checks its chain and recomputes its verdicts. If take is
// set, it adds the run to the record.
func (ws *Workshop) ReadBack(text []byte, take bool, who person.Person) (ReadBackView, error) {
	if err := mayDo(who, person.TakeRuns); take && err != nil {
		return ReadBackView{}, err
	}
	back, err := exchange.ReadRun(text)
	if err != nil {
		return ReadBackView{}, invalid("file", "It does not hold. "+Sentence(err))
	}
	r := back.Run
	v := ReadBackView{ID: r.ID, Tag: r.Device.Tag, Device: r.Device.Maker + " " + r.Device.Model,
		Title: r.Procedure.Title, Status: r.Status, By: r.OpenedBy.Name, On: r.OpenedAt,
		Events: len(back.Events), Head: back.Head, Lines: []ReadBackMeasure{}}
	v.Origin = r.Lab.Name
	if v.Ours, err = ws.ours(back); err != nil {
		return v, err
	}
	view := runview.Of(r, ws.Clock())
	v.Result = view.Result
	if view.Signature != nil {
		v.By, v.On = view.Signature.By.Name, view.Signature.At
	}
	for _, m := range view.Measures {
		line := ReadBackMeasure{Title: m.Title}
		for _, p := range m.Points {
			last := p.Left
			if last == nil {
				last = p.Found
			}
			for _, d := range []*runview.VerdictView{p.Found, p.Left} {
				if d != nil {
					v.Points++
				}
			}
			if last != nil {
				line.Points++
				if last.Pass {
					line.Inside++
				}
			}
		}
		v.Lines = append(v.Lines, line)
	}
	if v.Here, v.Missing, err = ws.here(back); err != nil || !take {
		return v, err
	}
	if v.Missing != "" {
		return v, invalid("file", v.Missing)
	}
	if err := ws.takeRun(back, text, who); err != nil {
		return v, err
	}
	v.Taken, v.Here, v.Missing = true, "same", "It is in the record."
	return v, nil
}

// here says whether a run that was read is in this record, and what keeps it from being
// taken in.
func (ws *Workshop) here(back exchange.ReadBack) (here, missing string, err error) {
	rows, err := ws.Ledger.Rows(back.Run.ID)
	switch {
	case err != nil:
		return "", "", err
	// Its hashes are others where it was taken in from a file: there it is chained to another log.
	case len(rows) >= len(back.Events) && slices.EqualFunc(rows[:len(back.Events)], back.Events, func(r ledger.Event,
		e run.Event) bool {
		here, err := run.DecodeFact(r.Kind, []byte(r.Data))
		return err == nil && r.EventID == e.ID && reflect.DeepEqual(here, e.Fact)
	}):
		return "same", "It is in this record, event for event.", nil
	case len(rows) > 0:
		return "differs", fmt.Sprintf("This record has that run otherwise, with %d events; the file has %d. The record's counts.", len(rows), len(back.Events)), nil
	}
	if back.Run.Status != run.Signed {
		return "unknown", "Only a signed run is taken in; this one is " + string(back.Run.Status) + ".", nil
	}
	asset, err := ws.Ledger.Asset(back.Run.Device.Tag)
	switch {
	case errors.Is(err, ledger.ErrNotFound):
		return "unknown", "", nil
	case err == nil && asset.ID != back.Run.Device.ID && (asset.Serial == "" || asset.Serial != back.Run.Device.Serial):
		return "unknown", asset.Tag + " is another device here (serial " + asset.Serial +
			"): give that one another tag first.", nil
	}
	return "unknown", "", err
}

// takeRun writes a run that was read into the record, with its device where it is not known. It says that it was made
// elsewhere, and its people are not taken for those of this workshop, unless a key of this workshop signed it.
func (ws *Workshop) takeRun(back exchange.ReadBack, text []byte, who person.Person) error {
	ours, err := ws.ours(back)
	if err != nil {
		return err
	}
	d := back.Run.Device
	here, err := ws.Ledger.Asset(d.ID)
	if errors.Is(err, ledger.ErrNotFound) {
		here, err = ws.Ledger.Asset(d.Tag) // of the same serial: it was imported from a list
	}
	if errors.Is(err, ledger.ErrNotFound) {
		a := &ledger.Asset{
			ID:         d.ID,
			Tag:        d.Tag,
			Serial:     d.Serial,
			Maker:      d.Maker,
			Model:      d.Model,
			Family:     d.Family,
			Site:       d.Site,
			Place:      d.Place,
			Status:     ledger.InUse,
			Risk:       cmp.Or(d.Risk, 3),
			Settings:   d.Settings,
			Limits:     d.Limits,
			Resolution: d.Resolution,
		}
		a.Search = ledger.Searchable(*a)
		err = ws.Ledger.Record(ws.act("", "device entered with a run", who, ""), ws.withDuties(a)...)
	}
	if err != nil {
		return err
	}
	sum := sha256.Sum256(text)
	events := slices.Clone(back.Events)
	if !ours {
		for i := range events {
			events[i].By.ID, events[i].By.Name = elsewhere+events[i].By.ID, events[i].By.Name+" (elsewhere)"
		}
	}
	last := events[len(events)-1]
	events = append(events, run.Event{Run: last.Run, Seq: last.Seq + 1, ID: ulid.Make().String(), At: ws.Clock(), By: who,
		Fact: run.TakenIn{File: hex.EncodeToString(sum[:]), Origin: back.Run.Lab.Name, Ours: ours, Device: here.ID}})
	return ws.Ledger.Take(back.Run.Procedure, events)
}

// elsewhere begins the id of somebody of another workshop: they have no account here.
const elsewhere = "elsewhere/"

// ours reports whether a key of this workshop signed a run that was read back, as it is.
func (ws *Workshop) ours(back exchange.ReadBack) (bool, error) {
	keys, err := ws.Keys()
	if err != nil || back.Seal == "" {
		return false, err
	}
	payload, _, err := seal.Open(back.Seal, keys)
	var said exchange.Sealed
	if err != nil || json.Unmarshal(payload, &said) != nil {
		return false, nil // of another workshop, or of nobody
	}
	return said == exchange.Sealed{Run: back.Run.ID, Head: back.Head}, nil
}

// textsBack puts the texts of an unpacked backup in the place of those here, and uses its procedures.
func (ws *Workshop) textsBack(unpacked string) error {
	if ws.Folder == "" {
		return nil
	}
	if err := backup.PutTexts(unpacked, filepath.Dir(ws.Folder), ws.Clock()); err != nil {
		return err
	}
	all, err := definition.All(ws.Folder)
	if err != nil {
		return err
	}
	ws.exchange(func(*shelf) *shelf { return &shelf{procedures: all} })
	return ws.takeReleases()
}

// Restore checks a backup and, if do is set, replaces the record with it.
func (ws *Workshop) Restore(content io.Reader, passphrase string, do bool, who person.Person) (RestoreView, error) {
	folder, err := os.MkdirTemp("", "restore")
	if err != nil {
		return RestoreView{}, err
	}
	defer os.RemoveAll(folder)
	var v RestoreView
	if err := backup.Unpack(content, passphrase, folder); err != nil {
		return v, invalid("file", Sentence(err))
	}
	file := filepath.Join(folder, ledger.File)
	if err := ws.copyHolds(file); err != nil {
		return v, invalid("file", Sentence(err))
	}
	if do {
		v.Aside, v.Kept, err = ws.Ledger.Replace(file, ws.act("", "backup put back", who, ""))
		v.Aside, v.Restored = filepath.Base(v.Aside), err == nil
		if err == nil {
			err = errors.Join(ws.restored(v.Kept.Tip, who), ws.textsBack(folder))
		}
	} else {
		v.Kept, err = ledger.Look(file)
	}
	if err != nil {
		return v, invalid("file", Sentence(err))
	}
	return v, nil
}
