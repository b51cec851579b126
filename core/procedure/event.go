package procedure

import (
	"encoding/json"
	"fmt"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/interval"
	"northneedle/core/method"
	"northneedle/core/signal"
)

// PersonRole is what a person may do.
type PersonRole string

const (
	Trainee    PersonRole = "trainee"
	Technician PersonRole = "technician"
	Lead       PersonRole = "lead"
	Manager    PersonRole = "manager"
)

// Person is who did something.
type Person struct {
	ID   string     `json:"id"`
	Name string     `json:"name"`
	Role PersonRole `json:"role"`
}

// Event is a fact with its envelope. ID is made by the client, so that a retry is
// harmless; Seq counts from 1 within the run.
type Event struct {
	Run  string    `json:"run"`
	Seq  int       `json:"seq"`
	ID   string    `json:"id"`
	At   time.Time `json:"at"`
	By   Person    `json:"by"`
	Fact Fact      `json:"fact"`
}

// Fact is what happened, in the past tense.
type Fact interface{ Kind() string }

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
}

// Lab is the lab's settings as they stood when the run was opened.
type Lab struct {
	Name   string          `json:"name"`
	Rule   conformity.Rule `json:"rule"`
	Policy adjust.Policy   `json:"policy"`
	Review Review          `json:"review"`

	Schools []string `json:"schools,omitempty"` // by title: whose tolerances decide, where a procedure knows several

	Room        RoomUnits         `json:"room,omitzero"`         // what the workshop's room instruments show
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
	}
	StandardBound struct {
		Role     string   `json:"role"`
		Standard Standard `json:"standard"`
		Override string   `json:"override,omitempty"` // reason of a lead for an unfit standard: as-found only
		Problems []string `json:"problems,omitempty"`
	}
	CheckAnswered struct {
		Step   string `json:"step"`
		Answer Answer `json:"answer"`
		Note   string `json:"note,omitempty"`
	}
	StepDone struct {
		Step string `json:"step"`
	}
	StepSkipped struct {
		Step   string `json:"step"`
		Reason string `json:"reason"`
	}
	AmbientRecorded struct {
		Step    string         `json:"step"`
		Ambient method.Ambient `json:"ambient"`
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
		Reading string          `json:"reading"` // its id
		Measure string          `json:"measure"`
		Point   string          `json:"point"`
		Phase   Phase           `json:"phase"`
		Round   int             `json:"round"` // 0 as found, then the round of adjustment
		Values  []float64       `json:"values"`
		Typed   string          `json:"typed,omitempty"` // as it was typed
		Fine    float64         `json:"fine,omitempty"`  // the step it was read to, where that is finer than the display
		Source  string          `json:"source"`
		Link    string          `json:"link,omitempty"`
		Early   string          `json:"early,omitempty"` // why it was taken before the wait was over or the trace steady
		Detail  string          `json:"detail,omitempty"`
		Trace   []signal.Sample `json:"trace,omitempty"`
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
	}
	// CertificateRevised issues the certificate anew with corrected words; what was measured
	// and the verdict stay as signed.
	CertificateRevised struct {
		Revision int       `json:"revision"`         // 2 or more: the first certificate is 1
		Reason   string    `json:"reason"`           // stands on the paper
		Device   Corrected `json:"device"`           // as it should have stood
		Remark   string    `json:"remark,omitempty"` // added to the remarks
	}
	LooseEndOpened struct {
		What string `json:"what"`
		Step string `json:"step,omitempty"`
	}
	LooseEndClosed struct {
		What string `json:"what"`
		Step string `json:"step,omitempty"`
		Note string `json:"note,omitempty"`
	}
	NoteAdded struct {
		Text string `json:"text"`
	}
	RunSigned struct {
		Statement string        `json:"statement"`
		Result    Result        `json:"result"`
		Reviewer  string        `json:"reviewer,omitempty"`
		Next      *interval.Due `json:"next,omitempty"`
	}
	RunReviewed struct {
		Note string `json:"note,omitempty"`
	}
	RunReturned struct {
		Reason string `json:"reason"`
	}
	RunAbandoned struct {
		Reason string `json:"reason"`
	}
)

func (RunOpened) Kind() string        { return "RunOpened" }
func (StandardBound) Kind() string    { return "StandardBound" }
func (CheckAnswered) Kind() string    { return "CheckAnswered" }
func (StepDone) Kind() string         { return "StepDone" }
func (StepSkipped) Kind() string      { return "StepSkipped" }
func (AmbientRecorded) Kind() string  { return "AmbientRecorded" }
func (PlateRecorded) Kind() string    { return "PlateRecorded" }
func (PartChanged) Kind() string      { return "PartChanged" }
func (WaitStarted) Kind() string      { return "WaitStarted" }
func (WaitCutShort) Kind() string     { return "WaitCutShort" }
func (ReadingCaptured) Kind() string  { return "ReadingCaptured" }
func (ReadingWithdrawn) Kind() string { return "ReadingWithdrawn" }
func (PointOmitted) Kind() string     { return "PointOmitted" }
func (SetUpChecked) Kind() string     { return "SetUpChecked" }
func (PhaseClosed) Kind() string      { return "PhaseClosed" }
func (FindingDecided) Kind() string   { return "FindingDecided" }
func (AdjustmentMade) Kind() string   { return "AdjustmentMade" }
func (LooseEndOpened) Kind() string   { return "LooseEndOpened" }
func (LooseEndClosed) Kind() string   { return "LooseEndClosed" }
func (NoteAdded) Kind() string        { return "NoteAdded" }
func (RunSigned) Kind() string        { return "RunSigned" }
func (RunReviewed) Kind() string      { return "RunReviewed" }
func (RunReturned) Kind() string      { return "RunReturned" }
func (RunAbandoned) Kind() string     { return "RunAbandoned" }

func (CertificateRevised) Kind() string { return "CertificateRevised" }

func decode[F Fact](raw []byte) (Fact, error) {
	var fact F
	err := json.Unmarshal(raw, &fact)
	return fact, err
}

var decoders = map[string]func([]byte) (Fact, error){
	"RunOpened": decode[RunOpened], "StandardBound": decode[StandardBound], "CheckAnswered": decode[CheckAnswered],
	"StepDone": decode[StepDone], "StepSkipped": decode[StepSkipped], "AmbientRecorded": decode[AmbientRecorded],
	"PlateRecorded": decode[PlateRecorded], "PartChanged": decode[PartChanged], "WaitStarted": decode[WaitStarted], "WaitCutShort": decode[WaitCutShort],
	"ReadingCaptured": decode[ReadingCaptured], "ReadingWithdrawn": decode[ReadingWithdrawn], "PointOmitted": decode[PointOmitted],
	"SetUpChecked": decode[SetUpChecked], "PhaseClosed": decode[PhaseClosed], "FindingDecided": decode[FindingDecided],
	"AdjustmentMade": decode[AdjustmentMade], "LooseEndOpened": decode[LooseEndOpened], "LooseEndClosed": decode[LooseEndClosed],
	"NoteAdded": decode[NoteAdded], "RunSigned": decode[RunSigned], "RunReviewed": decode[RunReviewed],
	"RunReturned": decode[RunReturned], "RunAbandoned": decode[RunAbandoned], "CertificateRevised": decode[CertificateRevised],
}

// DecodeFact reads a fact of the named kind from its JSON.
func DecodeFact(kind string, raw []byte) (Fact, error) {
	decoder := decoders[kind]
	if decoder == nil {
		return nil, fmt.Errorf("event kind %q is not known", kind)
	}
	return decoder(raw)
}
