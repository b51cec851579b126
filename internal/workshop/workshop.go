// Package workshop holds what a workshop does, one file a concern: it asks the core what follows, and
// keeps it in the record. It knows nothing of HTTP.
package workshop

import (
	"log/slog"
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

	shelf   atomic.Pointer[shelf]
	edition atomic.Int64 // of the shelf: another number after every exchange

	filing    sync.Mutex    // one file is kept at a time
	posting   sync.Mutex    // one goes through the outbox at a time
	queued    chan struct{} // something was put into the outbox
	starting  sync.Mutex    // one begins on an empty record
	telling   sync.Mutex    // one changes who is told at a time
	enrolling sync.Mutex    // one registers or changes people at a time
	drafting  sync.Mutex    // one writes in drafts at a time
	changes   *changes
	imports   imports
	jobs      jobs
	links     links
	plans     *plans
	sequences *capture.Sequencer
}

// Begin gets the workshop ready to be worked in; it is called once.
func (ws *Workshop) Begin() {
	ws.shelf.Store(&shelf{procedures: ws.Procedures})
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
	if err := ws.takeReleases(); err != nil {
		slog.Error("released procedures are not all in use", "error", err)
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

// Lab is the lab's settings.
func (ws *Workshop) Lab() (run.Lab, error) {
	lab := DefaultLab()
	err := ws.Ledger.Setting("lab", &lab)
	return lab, err
}
