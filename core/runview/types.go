// Package runview says what is shown and printed of a run: every sentence of it stands here.
package runview

import (
	"time"

	"northneedle/core/adjust"
	"northneedle/core/device"
	"northneedle/core/interval"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/reference"
	"northneedle/core/run"
)

// View is everything a screen or a certificate shows of a run, computed from the
// fold at one moment.
type View struct {
	ID          string                      `json:"id"`
	Status      run.Status                  `json:"status"`
	Seq         int                         `json:"seq"`
	OpenedAt    time.Time                   `json:"opened_at"`
	OpenedBy    person.Person               `json:"opened_by"`
	Device      run.Device                  `json:"device"`
	Procedure   ProcedureBrief              `json:"procedure"`
	Lab         string                      `json:"lab"`
	Letterhead  run.Letterhead              `json:"letterhead,omitzero"`
	Rule        string                      `json:"rule"` // the decision rule's meaning
	Replaces    string                      `json:"replaces,omitempty"`
	Stands      *device.Standing            `json:"stands,omitempty"`      // how the device stands; known to who keeps the record
	ReplacedBy  string                      `json:"replaced_by,omitempty"` // known to who keeps the record, not to the run itself
	Current     string                      `json:"current"`               // the step to do now
	Now         string                      `json:"now"`                   // what to do, in words, for the dock
	Steps       []StepView                  `json:"steps"`
	Roles       []RoleView                  `json:"roles"`
	Parts       []procedure.ReplaceablePart `json:"parts,omitempty"` // that may be changed during the run
	Changed     []ChangeView                `json:"changed"`
	Ambient     procedure.Ambient           `json:"ambient"`
	Room        run.RoomUnits               `json:"room"` // units in which room conditions are typed
	Measures    []MeasureView               `json:"measures"`
	Findings    []FindingView               `json:"findings"`
	OpenItems   []OpenItemView              `json:"loose_ends"`
	Notes       []run.Note                  `json:"notes"`
	Blockers    []string                    `json:"blockers"`
	Result      run.Result                  `json:"result"`
	ResultWhy   string                      `json:"result_why"`
	Limited     []string                    `json:"limited,omitempty"` // what the statement is limited to: "Rising: from 0 to 20 kg"
	NeedsReview bool                        `json:"needs_review"`
	Under       *person.Person              `json:"under,omitempty"`    // whom it is made under, by somebody who may not do it alone
	TakenIn     *TakenInView                `json:"taken_in,omitempty"` // where it was made elsewhere
	Hands       []person.Person             `json:"hands"`              // everyone who recorded something in it
	Timer       *TimerView                  `json:"timer,omitempty"`    // the one that ends next, or ended last
	Signature   *SignatureView              `json:"signature,omitempty"`
	Returned    string                      `json:"returned,omitempty"`
	Marked      []run.PointMark             `json:"marked,omitempty"`  // where it was given back
	Matters     []Matter                    `json:"matters,omitempty"` // what a reviewer looks at first
	Statement   string                      `json:"statement"`         // that is offered to be signed
	EndReason   string                      `json:"end_reason,omitempty"`
	Next        *interval.Due               `json:"next,omitempty"`
	Revision    int                         `json:"revision,omitempty"` // of the certificate, where there is one
	Revisions   []RevisionView              `json:"revisions"`          // after the first
	Remarks     []string                    `json:"remarks"`            // what the certificate must say: cut waits, skipped steps, exceptions
}

// ProcedureBrief names the procedure.
type ProcedureBrief struct {
	ID        string   `json:"id"`
	Revision  int      `json:"revision"`
	Title     string   `json:"title"`
	Hash      string   `json:"hash"`
	Test      string   `json:"test,omitempty"` // the one test of an analyser that it is about
	Cautions  []string `json:"cautions"`
	Maintains bool     `json:"maintains,omitempty"` // it measures nothing
}

// ChangeView is a part that was replaced, and the steps that this invalidated.
type ChangeView struct {
	What  string    `json:"what"`
	Steps []string  `json:"steps"`
	At    time.Time `json:"at"`
	By    string    `json:"by"`
}

// StepView is one step of the way.
type StepView struct {
	ID      string             `json:"id"`
	Kind    procedure.StepKind `json:"kind"`
	Title   string             `json:"title"`
	Do      string             `json:"do,omitempty"`
	Caution string             `json:"caution,omitempty"`
	Symptom string             `json:"symptom,omitempty"`
	Why     string             `json:"why,omitempty"`
	Opens   string             `json:"opens,omitempty"`
	Closes  []string           `json:"closes,omitempty"`
	Vessels int                `json:"vessels,omitempty"` // cuvettes and tubes that labels are printed for
	Minutes float64            `json:"minutes,omitempty"`
	Fields  []procedure.Field  `json:"fields,omitempty"`
	Plate   map[string]float64 `json:"plate,omitempty"`
	Choices map[string]string  `json:"choices,omitempty"`
	Tests   bool               `json:"tests,omitempty"` // answered passed, failed, not fitted
	Done    bool               `json:"done"`
	Summary string             `json:"summary,omitempty"`
	At      *time.Time         `json:"at,omitempty"`
	Answer  run.Answer         `json:"answer,omitempty"`
	Note    string             `json:"note,omitempty"`
	Left    map[string]string  `json:"left,omitempty"`  // by field: how a reference was left by its preparation, in words
	Known   *run.Known         `json:"known,omitempty"` // what the record says now of what the check reads
	Read    string             `json:"read,omitempty"`  // what it said when the check was answered
	Skipped string             `json:"skipped,omitempty"`
	Timer   *TimerView         `json:"timer,omitempty"`
	Waits   string             `json:"waits,omitempty"` // why it cannot be done yet
}

// TimerView is a timer.
type TimerView struct {
	Step    string    `json:"step"`
	Title   string    `json:"title"`
	Started time.Time `json:"started"`
	Until   time.Time `json:"until"`
	Cut     string    `json:"cut,omitempty"`
	Over    bool      `json:"over"`
}

// RoleView is a role and what fills it.
type RoleView struct {
	reference.Role
	Standard *reference.Standard `json:"standard,omitempty"`
	BoundAt  *time.Time          `json:"bound_at,omitempty"`
	Override string              `json:"override,omitempty"`
	Problems []string            `json:"problems,omitempty"`
	Earlier  []EarlierView       `json:"earlier,omitempty"` // standards that filled it before, and were exchanged
	Used     bool                `json:"used"`              // readings that stand were taken with it
}

// EarlierView is a standard that filled a role before another took its place.
type EarlierView struct {
	Standard reference.Standard `json:"standard"`
	Points   []string           `json:"points"` // that were read with it
	Until    time.Time          `json:"until"`
	Why      string             `json:"why"`
}

// MeasureView is a measure with its points.
type MeasureView struct {
	ID         string              `json:"id"`
	Title      string              `json:"title"`
	Finding    string              `json:"finding"`
	Method     string              `json:"method"`
	Quantity   string              `json:"quantity,omitempty"`
	Also       map[string]string   `json:"also,omitempty"`   // further standards that its method reckons with
	Absent     string              `json:"absent,omitempty"` // what is said where what is waited for does not come
	Do         string              `json:"do,omitempty"`
	Caution    string              `json:"caution,omitempty"`
	Unit       string              `json:"unit"`  // UCUM
	Shown      string              `json:"shown"` // as it is read
	Reads      string              `json:"reads"` // of the readings themselves
	Resolution float64             `json:"resolution"`
	Tolerance  string              `json:"tolerance"`
	Low        *procedure.LowRange `json:"low,omitempty"`        // its lower end has a limit of its own
	LimitPlus  float64             `json:"limit_plus,omitempty"` // that it is widened by
	Repeats    int                 `json:"repeats"`
	Schools    []AlternativeView   `json:"schools,omitempty"`
	Capture    *procedure.Capture  `json:"capture,omitempty"`
	Stage      *StageView          `json:"stage,omitempty"` // by hand a point of it is read as a stage
	Link       string              `json:"link,omitempty"`  // id of the instrument that reads it, where one is connected
	SetUp      []string            `json:"set_up,omitempty"`
	Round      int                 `json:"round"`   // being read
	Reading    bool                `json:"reading"` // whether a round is open
	Points     []PointView         `json:"points"`
}

// AlternativeView is another criterion in use for a measure.
type AlternativeView struct {
	Title     string `json:"title"`
	Tolerance string `json:"tolerance"`
}

// PointView is one point: what is expected, read and found.
type PointView struct {
	ID        string               `json:"id"`
	Label     string               `json:"label"`
	At        string               `json:"at"`               // as the procedure says it: a number, "mixture.CO2", "25 % of capacity"
	Role      string               `json:"role,omitempty"`   // that realises it
	U         float64              `json:"u,omitempty"`      // expanded (k = 2), where no standard realises it
	Own       bool                 `json:"own,omitempty"`    // of the technician's own
	Pair      *PairView            `json:"pair,omitempty"`   // the point that is set together with it
	Marked    string               `json:"marked,omitempty"` // what the reviewer wants looked at here
	Do        string               `json:"do,omitempty"`
	With      map[string]float64   `json:"with,omitempty"` // for the reader: band, direction …
	Move      string               `json:"move,omitempty"` // what the hand must move where now, before it is read over a link
	Zone      string               `json:"zone,omitempty"` // the trim that serves it
	Stage     *PointStage          `json:"stage,omitempty"`
	Expected  *run.Expected        `json:"expected,omitempty"`
	Missing   string               `json:"missing,omitempty"` // what is needed before it can be read
	Earlier   *procedure.PastValue `json:"earlier,omitempty"` // what the device gave before, where a trend is kept of it
	Found     *VerdictView         `json:"found,omitempty"`
	Voided    []VerdictView        `json:"voided,omitempty"` // as it was found and does not count, because that came from outside the device
	Left      *VerdictView         `json:"left,omitempty"`
	Readings  []ReadingView        `json:"readings"`
	Omitted   string               `json:"omitted,omitempty"`
	Complete  bool                 `json:"complete"` // in the round being read, or the last
	GrossOpen bool                 `json:"gross_open"`
	SetUpSeen bool                 `json:"set_up_seen"`
	SetUpNote string               `json:"set_up_note,omitempty"`
}

// StageView says what is read before and after a stage by hand, and in which unit.
type StageView struct {
	Shows string `json:"shows"`
	Unit  string `json:"unit"`
}

// PointStage is how far the stage of a point is that is read by hand. Before is as it was typed; Stopped is missing while the
// time runs. Offered is what was read after the stage before, where none is under way.
type PointStage struct {
	Offered *float64   `json:"offered,omitempty"`
	Before  string     `json:"before,omitempty"`
	Started *time.Time `json:"started,omitempty"`
	Stopped *time.Time `json:"stopped,omitempty"`
}

// PairView is a point of another measure that is set together with one.
type PairView struct {
	Measure string `json:"measure"`
	Point   string `json:"point"`
}

// VerdictView is a verdict with its sentence.
type VerdictView struct {
	run.Verdict
	Sentence   string `json:"sentence"`
	Accredited bool   `json:"accredited,omitempty"` // it may be printed as accredited
}

// ReadingView is a reading as the record shows it.
type ReadingView struct {
	ID        string                  `json:"id"`
	Phase     run.Phase               `json:"phase"`
	Round     int                     `json:"round"`
	Values    []float64               `json:"values"`
	Typed     string                  `json:"typed,omitempty"`
	Source    string                  `json:"source"`
	Link      string                  `json:"link,omitempty"`
	Origin    *run.Origin             `json:"origin,omitempty"`
	Detail    string                  `json:"detail,omitempty"`
	Absent    string                  `json:"absent,omitempty"`   // what did not come, in words
	Stage     *procedure.StageReading `json:"stage,omitempty"`    // what was shown before and after, and how long it lasted
	Curves    []procedure.Curve       `json:"curves,omitempty"`   // drawn on the certificate
	Given     *time.Time              `json:"given_at,omitempty"` // when it was typed, where that was earlier than it was recorded
	Early     string                  `json:"early,omitempty"`
	Fine      float64                 `json:"fine,omitempty"`    // the step it was read to, where that is finer than the display
	Quantum   float64                 `json:"quantum,omitempty"` // what arrived at once
	Left      float64                 `json:"left,omitempty"`    // what it still had to go when it was taken
	Withdrawn string                  `json:"withdrawn,omitempty"`
	FarOut    bool                    `json:"far_out,omitempty"` // it was far out, and was read again after a look at the set-up: it does not count
	Void      bool                    `json:"void,omitempty"`    // of an as found that came from outside the device
	At        time.Time               `json:"at"`
	By        string                  `json:"by"`
}

// FindingView is a finding: what was advised and decided. Undo are the moves that take
// the last round's adjustment back.
type FindingView struct {
	ID          string               `json:"id"`
	Title       string               `json:"title"`
	Judges      []string             `json:"judges"`
	Of          string               `json:"of,omitempty"`    // the role whose standard it is a finding of
	About       string               `json:"about,omitempty"` // what it is a statement about, where that is not the device
	Controls    []adjust.Control     `json:"controls"`
	Closed      int                  `json:"closed"`
	CanClose    bool                 `json:"can_close"` // every point of the round is complete
	Adjusting   bool                 `json:"adjusting"` // a round is under way
	Looking     bool                 `json:"looking"`   // of looking for the cause, not of adjusting
	Adjusted    bool                 `json:"adjusted"`  // in this round
	Done        bool                 `json:"done"`
	Advice      *adjust.Advice       `json:"advice,omitempty"`
	Causes      []string             `json:"causes,omitempty"`
	Outside     []string             `json:"outside,omitempty"`   // causes outside the device
	MayVoid     bool                 `json:"may_void"`            // as found may be declared not valid now
	FoundOut    string               `json:"found_out,omitempty"` // what was outside as found although no point was by itself
	Voided      []VoidedView         `json:"voided"`              // and was
	Seen        *procedure.Diagnosis `json:"seen,omitempty"`      // by the family's own pattern
	Rooms       []procedure.Ambient  `json:"rooms,omitempty"`     // the conditions that each closed round was read in
	Offer       *adjust.Advice       `json:"offer,omitempty"`     // what an adjustment against the advice would move
	Decisions   []run.FindingDecided `json:"decisions"`
	Adjustments []run.AdjustmentMade `json:"adjustments"`
	Made        []string             `json:"made"` // the same, in words
	Undo        []adjust.Move        `json:"undo,omitempty"`
	Span        *run.SpanLoad        `json:"span,omitempty"` // what a span that is told its load is set with
}

// VoidedView is an as found that was declared not valid, because what it showed came from outside the device.
type VoidedView struct {
	run.AsFoundVoided
	At     time.Time `json:"at"`
	By     string    `json:"by"`
	Stands bool      `json:"stands"` // read again it agreed, and so it counts after all
}

// OpenItemView is a loose end.
type OpenItemView struct {
	What     string     `json:"what"`
	OpenedAt time.Time  `json:"opened_at"`
	By       string     `json:"by"`
	ClosedAt *time.Time `json:"closed_at,omitempty"`
	Note     string     `json:"note,omitempty"`
}

// TakenInView says where a run is from that was made elsewhere, and who took it in.
type TakenInView struct {
	Origin string    `json:"origin"`
	File   string    `json:"file"` // SHA-256
	Ours   bool      `json:"ours"` // by a key of this workshop
	By     string    `json:"by"`
	At     time.Time `json:"at"`
}

// SignatureView is who stated what.
type SignatureView struct {
	Statement  string        `json:"statement"`
	Result     run.Result    `json:"result"`
	At         time.Time     `json:"at"`
	By         person.Person `json:"by"`
	Reviewer   string        `json:"reviewer,omitempty"` // who is asked to review
	Signing    run.Signing   `json:"signing"`
	InPlaceOf  string        `json:"in_place_of,omitempty"` // whoever was named to countersign, where it was somebody else
	Reviewing  *run.Signing  `json:"reviewing,omitempty"`
	ReviewedAt *time.Time    `json:"reviewed_at,omitempty"`
	ReviewedBy string        `json:"reviewed_by,omitempty"`
	ReviewNote string        `json:"review_note,omitempty"`
}
