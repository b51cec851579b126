package run

import (
	"encoding/json"
	"fmt"
	"reflect"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/interval"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/reference"
	"northneedle/core/signal"
)

// Event is a fact with its envelope. ID is made by the client, so that a retry is
// harmless; Seq counts from 1 within the run.
type Event struct {
	Run  string        `json:"run"`
	Seq  int           `json:"seq"`
	ID   string        `json:"id"`
	At   time.Time     `json:"at"`
	By   person.Person `json:"by"`
	Fact Fact          `json:"fact"`
}

// Fact is what happened in a run, in the past tense. Its apply method folds it: it returns the next
// state and leaves the given one unchanged. A type without apply cannot be registered as a kind of
// fact.
type Fact interface{ apply(r Run, e Event) Run }

// Kind is one kind of fact: its name in the record, and how it is read back.
type Kind struct {
	Name   string
	Decode func(raw []byte) (Fact, error)
	of     reflect.Type
}

func kind[F Fact](name string) Kind {
	decode := func(raw []byte) (Fact, error) {
		var fact F
		err := json.Unmarshal(raw, &fact)
		return fact, err
	}
	return Kind{name, decode, reflect.TypeFor[F]()}
}

// Kinds is the table of every kind of fact.
var Kinds = []Kind{
	kind[RunOpened]("RunOpened"),
	kind[StandardBound]("StandardBound"),
	kind[CheckAnswered]("CheckAnswered"),
	kind[StepDone]("StepDone"),
	kind[StepSkipped]("StepSkipped"),
	kind[AmbientRecorded]("AmbientRecorded"),
	kind[PlateRecorded]("PlateRecorded"),
	kind[PartChanged]("PartChanged"),
	kind[WaitStarted]("WaitStarted"),
	kind[WaitCutShort]("WaitCutShort"),
	kind[StageStarted]("StageStarted"),
	kind[StageStopped]("StageStopped"),
	kind[ReadingCaptured]("ReadingCaptured"),
	kind[ReadingWithdrawn]("ReadingWithdrawn"),
	kind[PointOmitted]("PointOmitted"),
	kind[SetUpChecked]("SetUpChecked"),
	kind[HandMoved]("HandMoved"),
	kind[PointAdded]("PointAdded"),
	kind[PhaseClosed]("PhaseClosed"),
	kind[FindingDecided]("FindingDecided"),
	kind[AdjustmentMade]("AdjustmentMade"),
	kind[AsFoundVoided]("AsFoundVoided"),
	kind[AsFoundStands]("AsFoundStands"),
	kind[OpenItemAdded]("LooseEndOpened"),
	kind[OpenItemClosed]("LooseEndClosed"),
	kind[NoteAdded]("NoteAdded"),
	kind[RunSigned]("RunSigned"),
	kind[SupervisorNamed]("SupervisorNamed"),
	kind[TakenIn]("TakenIn"),
	kind[RunReviewed]("RunReviewed"),
	kind[RunReturned]("RunReturned"),
	kind[RunAbandoned]("RunAbandoned"),
	kind[CertificateRevised]("CertificateRevised"),
}

var byName, byType = index()

func index() (map[string]Kind, map[reflect.Type]Kind) {
	names, types := map[string]Kind{}, map[reflect.Type]Kind{}
	for _, k := range Kinds {
		names[k.Name], types[k.of] = k, k
	}
	return names, types
}

// KindOf is the name of a fact's kind in the record.
func KindOf(f Fact) string { return byType[reflect.TypeOf(f)].Name }

// DecodeFact reads a fact of the named kind from its JSON.
func DecodeFact(name string, raw []byte) (Fact, error) {
	k, ok := byName[name]
	if !ok {
		return nil, fmt.Errorf("event kind %q is not known", name)
	}
	return k.Decode(raw)
}

// Device is the asset as it stood when the run was opened.
type Device struct {
	ID         string             `json:"id"`
	Tag        string             `json:"tag"`
	Serial     string             `json:"serial"`
	Maker      string             `json:"maker"`
	Model      string             `json:"model"`
	Family     string             `json:"family"`
	Site       string             `json:"site"`
	Place      string             `json:"place"`
	Settings   map[string]string  `json:"settings,omitempty"`   // conventions and units of its display
	Limits     map[string]string  `json:"limits,omitempty"`     // maker's tolerances by measure, in place of the procedure's
	Resolution map[string]float64 `json:"resolution,omitempty"` // of its display by measure
	Risk       int                `json:"risk,omitempty"`       // class from 1 (least harm) to 5 (keeps people alive); 0 means not known
	Height     *float64           `json:"height,omitempty"`     // of its site above the sea, in m; nil: not known
}

// Lab is the lab's settings as they stood when the run was opened.
type Lab struct {
	Name   string           `json:"name"`
	Rule   conformity.Rule  `json:"rule"`
	Policy adjust.Policy    `json:"policy"`
	Review procedure.Review `json:"review"`

	Schools []string `json:"schools,omitempty"` // by title: whose tolerances decide, where a procedure knows several

	Room        RoomUnits         `json:"room,omitzero"` // what the workshop's room instruments show
	Letterhead  Letterhead        `json:"letterhead,omitzero"`
	Conventions map[string]string `json:"conventions,omitempty"` // of displays, for devices whose own is not recorded
}

// Answer to a check.
type Answer string

const (
	Fine    Answer = "fine"
	NotFine Answer = "not fine"
	NA      Answer = "does not apply"
)

// Phase of a measure.
type Phase string

const (
	AsFound Phase = "as found"
	AsLeft  Phase = "as left"
)

// Source of a reading.
const (
	Typed  = "typed"
	Linked = "link"
)

type (
	// RunOpened names the procedure revision; the definition itself is kept beside the events, under its hash.
	RunOpened struct {
		Procedure string `json:"procedure"`
		Revision  int    `json:"revision"`
		Hash      string `json:"hash"`
		Device    Device `json:"device"`
		Lab       Lab    `json:"lab"`
		Replaces  string `json:"replaces,omitempty"`
		Reason    string `json:"reason,omitempty"`

		Under *person.Person `json:"under,omitempty"` // whom somebody works under who may not do the device's family alone

		Earlier []procedure.Earlier `json:"earlier,omitempty"` // what the device gave before at points that a trend is kept of
	}
	StandardBound struct {
		Role     string             `json:"role"`
		Standard reference.Standard `json:"standard"`
		Override string             `json:"override,omitempty"` // reason of a lead for an unfit standard: as-found only
		Problems []string           `json:"problems,omitempty"`
		Exchange string             `json:"exchange,omitempty"` // why it takes another one's place from here on
	}
	CheckAnswered struct {
		Step   string `json:"step"`
		Answer Answer `json:"answer"`
		Note   string `json:"note,omitempty"`
		Read   string `json:"read,omitempty"` // what the record said, where the check reads it
	}
	StepDone struct {
		Step string `json:"step"`
	}
	StepSkipped struct {
		Step   string `json:"step"`
		Reason string `json:"reason"`
	}
	AmbientRecorded struct {
		Step    string            `json:"step"`
		Ambient procedure.Ambient `json:"ambient"`
		Reason  string            `json:"reason,omitempty"` // of a correction
	}
	PlateRecorded struct {
		Step   string             `json:"step"`
		Values map[string]float64 `json:"values"`

		Choices map[string]string `json:"choices,omitempty"`
	}
	PartChanged struct {
		Part   string   `json:"part"`
		Steps  []string `json:"steps"` // that count no more
		Reason string   `json:"reason"`
	}
	WaitStarted struct {
		Step  string    `json:"step"`
		Until time.Time `json:"until"`
	}
	WaitCutShort struct {
		Step   string `json:"step"`
		Reason string `json:"reason"`
	}
	ReadingCaptured struct {
		Reading string                  `json:"reading"` // its id
		Measure string                  `json:"measure"`
		Point   string                  `json:"point"`
		Phase   Phase                   `json:"phase"`
		Round   int                     `json:"round"` // 0 as found, then the round of adjustment
		Values  []float64               `json:"values"`
		Typed   string                  `json:"typed,omitempty"` // as it was typed
		Fine    float64                 `json:"fine,omitempty"`  // the step it was read to, where that is finer than the display
		Source  string                  `json:"source"`
		Link    string                  `json:"link,omitempty"`     // kind of instrument
		Origin  *Origin                 `json:"origin,omitempty"`   // where a linked reading is from
		Given   *time.Time              `json:"given_at,omitempty"` // when it was typed, where that was earlier than it was recorded
		Early   string                  `json:"early,omitempty"`    // why it was taken before the wait was over or the trace steady
		Left    float64                 `json:"left,omitempty"`     // what it still had to go when it was taken, in the unit of the values
		Quantum float64                 `json:"quantum,omitempty"`  // what arrived at once, in the unit of the trace
		Detail  string                  `json:"detail,omitempty"`
		Absent  string                  `json:"absent,omitempty"` // in words, where what was waited for did not come
		Stage   *procedure.StageReading `json:"stage,omitempty"`  // what was shown before and after, and how long it lasted, where it was read by hand
		Curves  []procedure.Curve       `json:"curves,omitempty"`
		Trace   []signal.Sample         `json:"trace,omitempty"`
	}
	ReadingWithdrawn struct {
		Reading string `json:"reading"`
		Reason  string `json:"reason"`
	}
	PointOmitted struct {
		Measure string `json:"measure"`
		Point   string `json:"point"`
		Phase   Phase  `json:"phase"`
		Round   int    `json:"round"`
		Reason  string `json:"reason"`
	}
	// PointAdded is a point of the technician's own, beside those of the procedure.
	PointAdded struct {
		Measure string  `json:"measure"`
		Point   string  `json:"point"` // its id
		Label   string  `json:"label"`
		At      string  `json:"at"`          // as in a procedure
		U       float64 `json:"u,omitempty"` // expanded (k = 2), where no standard realises the value
		Role    string  `json:"role,omitempty"`
		Do      string  `json:"do,omitempty"`
	}
	// HandMoved says that the hand has moved what a point needs moved.
	HandMoved struct {
		Measure string `json:"measure"`
		Point   string `json:"point"`
		Move    string `json:"move"` // what, and where to
	}
	SetUpChecked struct {
		Measure string `json:"measure"`
		Point   string `json:"point"`
		Round   int    `json:"round"`
		Note    string `json:"note"`
	}
	PhaseClosed struct {
		Finding string `json:"finding"`
		Phase   Phase  `json:"phase"`
		Round   int    `json:"round"`
	}
	FindingDecided struct {
		Finding  string          `json:"finding"`
		Decision adjust.Decision `json:"decision"`
		Advised  adjust.Decision `json:"advised"`
		Why      string          `json:"why"`              // the advice's sentence
		Reason   string          `json:"reason,omitempty"` // of an overruling
		Round    int             `json:"round"`            // of adjustment that it begins or judges
	}
	AdjustmentMade struct {
		Finding string `json:"finding"`
		Round   int    `json:"round"`
		Control string `json:"control"`
		Point   string `json:"point,omitempty"` // of a table or a zone, as "measure/point"
		Steps   int    `json:"steps"`
		Note    string `json:"note,omitempty"`
		Nothing bool   `json:"nothing,omitempty"` // a cause was looked for, and nothing of the device was changed
	}
	// AsFoundVoided says that what a finding's points showed as found came from outside the device. It is kept and
	// printed, and as found is read again.
	AsFoundVoided struct {
		Finding string `json:"finding"`
		Cause   string `json:"cause"`
		Listed  bool   `json:"listed,omitempty"` // the cause is one that the procedure names
		Done    string `json:"done"`             // what was put right at the set-up
	}
	// AsFoundStands says that as found, read again, agreed with the first: what was taken for the cause was none.
	AsFoundStands struct {
		Finding string `json:"finding"`
	}
	// CertificateRevised issues the certificate anew with corrected words; what was measured
	// and the verdict stay as signed.
	CertificateRevised struct {
		Revision int       `json:"revision"`         // 2 or more: the first certificate is 1
		Reason   string    `json:"reason"`           // stands on the paper
		Device   Corrected `json:"device"`           // as it should have stood
		Remark   string    `json:"remark,omitempty"` // added to the remarks
		Signing  Signing   `json:"signing,omitzero"`
	}
	OpenItemAdded struct {
		What string `json:"what"`
		Step string `json:"step,omitempty"`
	}
	OpenItemClosed struct {
		What string `json:"what"`
		Step string `json:"step,omitempty"`
		Note string `json:"note,omitempty"`
	}
	NoteAdded struct {
		Text string `json:"text"`
	}
	RunSigned struct {
		Statement    string        `json:"statement"`
		Result       Result        `json:"result"`
		Reviewer     string        `json:"reviewer,omitempty"`
		ReviewerName string        `json:"reviewer_name,omitempty"`
		Next         *interval.Due `json:"next,omitempty"`
		Signing      Signing       `json:"signing,omitzero"`
	}
	// TakenIn ends a run that was made elsewhere: it was read back from a file, by whoever's event it is. It says
	// nothing of how the device stands now.
	TakenIn struct {
		File   string `json:"file"`             // SHA-256 of it
		Origin string `json:"origin"`           // the workshop that it names
		Ours   bool   `json:"ours"`             // it was signed by a key of this workshop, so its people are the ones that are here
		Device string `json:"device,omitempty"` // the device's id here, where it is another
	}
	RunReviewed struct {
		Note      string  `json:"note,omitempty"`
		InPlaceOf string  `json:"in_place_of,omitempty"` // whoever was named to countersign, where it is not the one who does
		Signing   Signing `json:"signing,omitzero"`
	}
	// SupervisorNamed says whom somebody works under who may not do the device's family alone.
	SupervisorNamed struct {
		Under person.Person `json:"under"`
	}
	RunReturned struct {
		Reason string      `json:"reason"`
		Marks  []PointMark `json:"marks,omitempty"`
	}
	RunAbandoned struct {
		Reason string `json:"reason"`
	}
)

// PointMark is a point that a reviewer wants looked at again, and why.
type PointMark struct {
	Measure string `json:"measure"`
	Point   string `json:"point"`
	Note    string `json:"note"`
}

// Origin says where a linked reading is from: which instrument, how it was spoken to, how it was set, and which moment.
type Origin struct {
	Frame      string            `json:"frame"`      // what was on the screen
	At         time.Time         `json:"at"`         // of the frame
	Instrument string            `json:"instrument"` // its id
	Name       string            `json:"name"`
	Tag        string            `json:"tag,omitempty"` // of the reference or device that it is
	Kind       string            `json:"kind"`
	Profile    string            `json:"profile,omitempty"` // hash of the text that says how it is spoken to
	Link       string            `json:"link,omitempty"`    // where it was connected
	Simulated  bool              `json:"simulated,omitempty"`
	Settings   map[string]string `json:"settings,omitempty"` // as the instrument itself reported them
	Holder     string            `json:"holder,omitempty"`   // whom it served
}
