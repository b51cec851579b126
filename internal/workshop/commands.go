package workshop

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/ledger"
)

// CommandBody is a command for a run. Kind says which; the other fields are those it needs.
type CommandBody struct {
	ID     string     `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; a retry with the same id does nothing twice"`
	Expect int        `json:"expect" minimum:"1" doc:"the sequence the run was at on the client's screen"`
	After  string     `json:"after,omitempty" maxLength:"60" doc:"the id of the command that the same person gave just before, where its answer was not known yet"`
	Given  *time.Time `json:"given_at,omitempty" doc:"when it was given, by the client's reckoning of the server's time; left out: now"`
	Kind   string     `json:"kind" enum:"bind,answer,do,skip,ambient,plate,start-wait,cut-wait,capture,start-stage,stop-stage,moved,add-point,withdraw,omit,check-set-up,close-phase,decide,adjust,void-as-found,take-back,change-part,open-loose-end,close-loose-end,note,sign,review,return,abandon,revise,work-under"`

	Step        string            `json:"step,omitempty" maxLength:"100"`
	Role        string            `json:"role,omitempty" maxLength:"100"`
	Standard    string            `json:"standard,omitempty" maxLength:"60"`
	Answer      string            `json:"answer,omitempty" enum:"fine,not fine,does not apply"`
	Note        string            `json:"note,omitempty" maxLength:"4000"`
	Exchange    bool              `json:"exchange,omitempty" doc:"the reference takes the place of one that readings were taken with, from here on"`
	Nothing     bool              `json:"nothing,omitempty" doc:"a cause was looked for, and nothing of the device was changed"`
	Cause       string            `json:"cause,omitempty" maxLength:"400" doc:"outside the device, of what was read as found"`
	Reason      string            `json:"reason,omitempty" maxLength:"1000"`
	Temperature string            `json:"temperature,omitempty" maxLength:"40"`
	Pressure    string            `json:"pressure,omitempty" maxLength:"40"`
	Humidity    string            `json:"humidity,omitempty" maxLength:"40"`
	Source      string            `json:"source,omitempty" maxLength:"200"`
	Values      map[string]string `json:"values,omitempty"`
	Measure     string            `json:"measure,omitempty" maxLength:"100"`
	Point       string            `json:"point,omitempty" maxLength:"200"`
	Typed       string            `json:"typed,omitempty" maxLength:"40" doc:"a reading as it was typed"`
	Lasted      string            `json:"lasted,omitempty" maxLength:"40" doc:"how long a stage lasted by the technician's own stopwatch: 10:02"`
	Absent      bool              `json:"absent,omitempty" doc:"what was waited for did not come"`
	Frame       string            `json:"frame,omitempty" maxLength:"80" doc:"take the reading from the link: the frame that was on the screen"`
	Confirmed   bool              `json:"confirmed,omitempty" doc:"a questioned magnitude is confirmed"`
	Reading     string            `json:"reading,omitempty" maxLength:"60"`
	Finding     string            `json:"finding,omitempty" maxLength:"100"`
	Decision    string            `json:"decision,omitempty" enum:"leave,adjust,investigate,withdraw"`
	Part        string            `json:"part,omitempty" maxLength:"60"`
	Control     string            `json:"control,omitempty" maxLength:"60"`
	Steps       int               `json:"steps,omitempty" minimum:"-1000" maximum:"1000"`
	What        string            `json:"what,omitempty" maxLength:"200"`
	Statement   string            `json:"statement,omitempty" maxLength:"2000"`
	Reviewer    string            `json:"reviewer,omitempty" maxLength:"60"`
	Under       string            `json:"under,omitempty" maxLength:"60" doc:"whom one works under who may not do the device alone"`
	Secret      string            `json:"secret,omitempty" maxLength:"200" doc:"one's password or PIN once more: a signature asks for it"`
	Shown       string            `json:"-"`

	Marks     []run.PointMark `json:"marks,omitempty" maxItems:"100" doc:"points to be looked at again, where a run is given back"`
	Corrected run.Corrected   `json:"corrected,omitempty" doc:"what the certificate should have said of the device"`
}

// Carried is the run that somebody's command was carried out on before; false where it was not.
func (ws *Workshop) Carried(command string, who person.Person) (runview.View, bool) {
	r, before, err := ws.Ledger.Carried(command, who)
	if err != nil || !before {
		return runview.View{}, false
	}
	return ws.RunView(r), true
}

// Carry does something in a run, and gives the run as it stands then.
func (ws *Workshop) Carry(ctx context.Context, id string, b CommandBody, who person.Person) (v runview.View, err error) {
	if b.Signs() && b.Shown == "" {
		return v, fmt.Errorf("%s %s: nobody was asked who they are", b.Kind, id)
	}
	do, err := ws.command(ctx, id, b, who)
	if err != nil {
		// Sent again, it may ask for what is gone by now, as a frame is after a restart; it was carried out all the same.
		if v, before := ws.Carried(b.ID, who); before {
			return v, nil
		}
		return v, err
	}
	r, err := ws.Ledger.Carry(id, ledger.Command{
		ID:     b.ID,
		Expect: b.Expect,
		After:  b.After,
		Do:     do,
		Order:  run.Order{At: ws.Clock(), By: who, Given: b.Given, Shown: b.Shown},
	})
	if err != nil {
		return v, err
	}
	if strings.HasPrefix(b.Frame, "key-") {
		ws.Bench.Dismiss(b.Frame) // it is taken once
	}
	if r.Status != run.Open {
		ws.Bench.Release(r.ID, "")
	}
	if b.Signs() {
		if err := ws.checkpoint(); err != nil {
			slog.Error("no checkpoint after a signature", "run", r.ID, "error",
				err) // the signature stands; the next one holds it too
		}
	}
	if b.Kind == "sign" && r.Status == run.InReview {
		if err := ws.tellReviewers(ctx, r, b.Reviewer, who); err != nil {
			slog.Error("nobody was told by mail of a run to review", "run", r.ID, "error", err) // it stands on Today
		}
	}
	if r.Status == run.Signed {
		if err := ws.controlsOf(r, who); err != nil {
			return v, err
		}
	}
	return ws.RunView(r), nil
}

// command turns what was sent into the core's command.
func (ws *Workshop) command(ctx context.Context, r string, b CommandBody, who person.Person) (run.Command, error) {
	switch b.Kind {
	case "bind":
		s, err := ws.Ledger.Standard(b.Standard)
		if errors.Is(err, ledger.ErrNotFound) {
			return nil, &run.Refusal{
				Kind:    run.Invalid,
				Code:    "no-such-standard",
				Field:   "standard",
				Message: "There is no reference with that tag.",
			}
		}
		if err != nil {
			return nil, err
		}
		core, err := ws.standard(s)
		bind := run.BindStandard{Role: b.Role, Standard: core, Override: b.Reason}
		if b.Exchange {
			bind.Override, bind.Exchange = "", b.Reason
		}
		return bind, err
	case "answer":
		return ws.answer(r, b)
	case "do":
		return run.DoStep{Step: b.Step}, nil
	case "skip":
		return run.SkipStep{Step: b.Step, Reason: b.Reason}, nil
	case "ambient":
		return ws.room(b)
	case "plate":
		return run.RecordPlate{Step: b.Step, Values: b.Values}, nil
	case "start-wait":
		return run.StartWait{Step: b.Step}, nil
	case "cut-wait":
		return run.CutWait{Step: b.Step, Reason: b.Reason}, nil
	case "capture":
		return ws.capture(ctx, r, b, who)
	case "start-stage":
		return run.StartStage{Measure: b.Measure, Point: b.Point, Typed: b.Typed, Again: b.Reason}, nil
	case "stop-stage":
		return run.StopStage{Measure: b.Measure, Point: b.Point}, nil
	case "moved":
		return run.MoveByHand{Measure: b.Measure, Point: b.Point}, nil
	case "withdraw":
		return run.WithdrawReading{Reading: b.Reading, Reason: b.Reason}, nil
	case "add-point":
		return run.AddPoint{Measure: b.Measure, Label: b.What, At: b.Typed, U: b.Values["u"], Do: b.Note}, nil
	case "omit":
		return run.OmitPoint{Measure: b.Measure, Point: b.Point, Reason: b.Reason}, nil
	case "check-set-up":
		return run.CheckSetUp{Measure: b.Measure, Point: b.Point, Note: b.Note}, nil
	case "close-phase":
		return run.ClosePhase{Finding: b.Finding}, nil
	case "decide":
		return run.DecideFinding{Finding: b.Finding, Decision: adjust.Decision(b.Decision), Reason: b.Reason}, nil
	case "take-back":
		return run.TakeBack{Finding: b.Finding, Reason: b.Reason}, nil
	case "change-part":
		return run.ChangePart{Part: b.Part, Reason: b.Reason}, nil
	case "adjust":
		return run.MakeAdjustment{
			Finding: b.Finding,
			Control: b.Control,
			Point:   b.Point,
			Steps:   b.Steps,
			Typed:   b.Typed,
			Note:    b.Note,
			Nothing: b.Nothing,
		}, nil
	case "void-as-found":
		return run.VoidAsFound{Finding: b.Finding, Cause: b.Cause, Done: b.Note}, nil
	}
	return ws.ending(ctx, b)
}

// roomKind is the kind of reference that the room's conditions are read from.
const roomKind = "room-conditions"

// room is what was read of the room, from a reference where the register has any for it.
func (ws *Workshop) room(b CommandBody) (run.Command, error) {
	c := run.RecordAmbient{
		Step:        b.Step,
		Temperature: b.Temperature,
		Pressure:    b.Pressure,
		Humidity:    b.Humidity,
		Source:      b.Source,
		Confirmed:   b.Confirmed,
		Reason:      b.Reason,
	}
	all, err := ws.Ledger.Standards(roomKind)
	if err != nil || len(all) == 0 {
		return c, err
	}
	var tags []string
	for _, s := range all {
		if strings.EqualFold(s.Tag, strings.TrimSpace(b.Source)) {
			instrument := s.Core()
			c.Instrument = &instrument
			return c, nil
		}
		tags = append(tags, s.Tag)
	}
	return nil, &run.Refusal{Kind: run.Invalid, Code: "source", Field: "source",
		Message: "Say which room instrument it was read from, by its tag: " + strings.Join(tags,
			", ") + ". It is a reference with a certificate."}
}

// ending are the commands about loose ends, notes and the end of a run.
func (ws *Workshop) ending(ctx context.Context, b CommandBody) (run.Command, error) {
	switch b.Kind {
	case "open-loose-end":
		return run.AddOpenItem{What: b.What}, nil
	case "close-loose-end":
		return run.CloseOpenItem{What: b.What, Note: b.Note}, nil
	case "note":
		return run.AddNote{Text: b.Note}, nil
	case "sign":
		return ws.signed(b)
	case "work-under":
		under, err := ws.colleague(b.Under, "under")
		return run.NameSupervisor{Under: under}, err
	case "review":
		return run.ReviewRun{Note: b.Note}, nil
	case "return":
		return run.ReturnRun{Reason: b.Reason, Marks: b.Marks}, nil
	case "revise":
		return run.ReviseCertificate{Reason: b.Reason, Device: b.Corrected, Remark: b.Note}, nil
	case "abandon":
		return run.AbandonRun{Reason: b.Reason}, nil
	}
	return nil, &run.Refusal{Kind: run.Invalid, Code: "kind", Field: "kind", Message: "This command is not known."}
}

// Signs reports whether a command is a signature: it asks for the password or PIN once more.
func (b CommandBody) Signs() bool {
	return b.Kind == "sign" || b.Kind == "review" || b.Kind == "revise"
}

// signed is the signature of a run, with whoever is to countersign it.
func (ws *Workshop) signed(b CommandBody) (run.Command, error) {
	sign := run.SignRun{Statement: b.Statement}
	if b.Reviewer == "" {
		return sign, nil
	}
	reviewer, err := ws.colleague(b.Reviewer, "reviewer")
	if err != nil {
		return nil, err
	}
	sign.Reviewer = &reviewer
	sign.Registered, err = ws.Ledger.Registered(reviewer.ID)
	return sign, err
}

// colleague is a person who is named in a field.
func (ws *Workshop) colleague(id, field string) (person.Person, error) {
	everyone, err := ws.Ledger.People()
	if err != nil {
		return person.Person{}, err
	}
	for _, p := range everyone {
		if p.ID == id {
			return person.Person{ID: p.ID, Name: p.Name, Role: p.Role}, nil
		}
	}
	return person.Person{}, &run.Refusal{Kind: run.Invalid, Code: field + "-missing", Field: field,
		Message: "There is nobody like that among those who may sign in: name a colleague."}
}

// capture takes the reading of the frame that was on the screen, or what was typed.
func (ws *Workshop) capture(ctx context.Context, id string, b CommandBody, who person.Person) (run.Command, error) {
	c := run.CaptureReading{
		Reading:   b.ID,
		Measure:   b.Measure,
		Point:     b.Point,
		Typed:     b.Typed,
		Lasted:    b.Lasted,
		Early:     b.Reason,
		Confirmed: b.Confirmed,
		Absent:    b.Absent,
	}
	if b.Frame == "" {
		return c, nil
	}
	c.Linked = true
	return c, ws.Bench.Take(ctx, id, b.Frame, who.ID, &c)
}
