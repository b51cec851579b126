// Package workshop holds what a workshop does, one file a concern: it asks the core what follows, and
// keeps it in the record. It knows nothing of HTTP.
package workshop

import (
	"log/slog"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/duty"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/backup"
	"northneedle/internal/capture"
	"northneedle/internal/instrument"
	"northneedle/internal/ledger"
	"northneedle/internal/seal"
)

// Workshop is everything that is worked with: the record, the bench, the procedures, the time.
// Ledger, Bench and Clock are needed; the zero value of everything else does without it.
type Workshop struct {
	Ledger     *ledger.Ledger
	Bench      *capture.Driver
	Procedures []*procedure.Procedure // to begin with
	Duties     []duty.Template        // what recurs on each family
	Profiles   []*instrument.Profile  // by which instruments are spoken to
	Clock      func() time.Time
	Speed      float64 // how many of the clock's seconds pass in a real one; 0 means 1
	TryOut     func(p *procedure.Procedure, lab run.Lab,
		at time.Time) (runview.View, error) // plays a procedure on simulated devices
	Folder    string           // of the lab's own procedures; empty: none are kept
	Seal      *seal.Seal       // signs how the record stands, and papers; nil where nothing is signed
	Post      Post             // sends mail; nil: none is sent
	Backups   *backup.Schedule // copies that are made by themselves; nil: none
	StartCode string           // by which whoever runs the server begins on an empty record; empty: from the command line alone
	Demo      bool             // lists the demo's people on the sign-in page
	Version   string

	shelf   atomic.Pointer[[]*procedure.Procedure] // in use now; never changed, only exchanged
	edition atomic.Int64                           // of the shelf: another number after every exchange

	filing    sync.Mutex    // one file is kept at a time
	posting   sync.Mutex    // one goes through the outbox at a time
	queued    chan struct{} // something was put into the outbox
	starting  sync.Mutex    // one begins on an empty record
	telling   sync.Mutex    // one changes who is told at a time
	changes   *changes
	imports   imports
	jobs      jobs
	links     links
	plans     *plans
	sequences *capture.Sequencer
}

// Begin gets the workshop ready to be worked in; it is called once.
func (ws *Workshop) Begin() {
	ws.shelf.Store(&ws.Procedures)
	ws.changes, ws.plans = newChanges(), newPlans()
	ws.queued = make(chan struct{}, 1)
	ws.Ledger.OnChange(ws.changes.tell)
	ws.Bench.Allowed = ws.allowed
	ws.sequences = capture.NewSequencer(ws.Ledger, ws.Bench, ws.changes.tell)
	ws.noticeClock()
	if err := ws.knowKey(); err != nil {
		slog.Error("the workshop's key is not in the record", "error", err)
	}
	if err := ws.takeSkillsOver(); err != nil {
		slog.Error("who may do what alone was not taken over from the settings", "error", err)
	}
	if err := ws.takeProceduresOver(); err != nil {
		slog.Error("maintenance noted by hand has got no procedures", "error", err)
	}
}

// End stops what goes on by itself.
func (ws *Workshop) End() {
	ws.sequences.Close()
	ws.jobs.Close()
	ws.links.disconnect()
}

// templates are what recurs on each family, a lab's own families among them.
func (ws *Workshop) templates() []duty.Template { return procedure.WithOwn(ws.Duties, ws.procedures()) }

// act is what someone does to the record now. An id made by the client keeps a retry from doing it
// twice.
func (ws *Workshop) act(id, kind string, who person.Person, why string) ledger.Act {
	return ledger.Act{ID: id, Kind: kind, By: who, At: ws.Clock(), Why: why}
}

// DefaultLab is how a workshop judges until it says otherwise.
func DefaultLab() run.Lab {
	return run.Lab{Name: "Biomedical workshop", Rule: conformity.Rule{Kind: conformity.Simple, TURFloor: 3},
		Policy: adjust.Policy{School: adjust.Threshold, Threshold: 0.7, MaxRounds: 4},
		Review: procedure.ReviewOnFailure}
}

// procedures are those in use now.
func (ws *Workshop) procedures() []*procedure.Procedure { return *ws.shelf.Load() }

// procedure is the one in use with an id; nil and false where there is none.
func (ws *Workshop) procedure(id string) (*procedure.Procedure, bool) {
	all := ws.procedures()
	at := slices.IndexFunc(all, func(p *procedure.Procedure) bool { return p.ID == id })
	if at < 0 {
		return nil, false
	}
	return all[at], true
}

// use puts a procedure in the place of the one with its id, or beside the others.
func (ws *Workshop) use(p *procedure.Procedure) {
	for {
		before := ws.shelf.Load()
		next := slices.Clone(*before)
		if at := slices.IndexFunc(next, func(q *procedure.Procedure) bool { return q.ID == p.ID }); at >= 0 {
			next[at] = p
		} else {
			next = append(next, p)
		}
		if ws.shelf.CompareAndSwap(before, &next) {
			ws.edition.Add(1)
			return
		}
	}
}

// Lab is the lab's settings.
func (ws *Workshop) Lab() (run.Lab, error) {
	lab := DefaultLab()
	err := ws.Ledger.Setting("lab", &lab)
	return lab, err
}
