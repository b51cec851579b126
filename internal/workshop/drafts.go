package workshop

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"northneedle/core/duty"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/internal/ledger"

	"github.com/oklog/ulid/v2"
)

// DraftBrief is a procedure that is being written.
type DraftBrief struct {
	ID        string    `json:"id"`
	Procedure string    `json:"procedure" doc:"id of the procedure, as far as it can be read"`
	Title     string    `json:"title"`
	Why       string    `json:"why" doc:"what changes, and why"`
	State     string    `json:"state" enum:"open,released,dropped,taken back"`
	Version   int       `json:"version" doc:"goes up with every change of its text"`
	By        string    `json:"by" doc:"who wrote in it last"`
	At        time.Time `json:"at" doc:"when"`
	Wrote     bool      `json:"wrote" doc:"you wrote in it: somebody else releases it"`
	Revision  int       `json:"revision,omitempty" doc:"as which it was released"`
	Hash      string    `json:"hash,omitempty" doc:"of that revision"`
	From      Day       `json:"from,omitempty" format:"date" doc:"the day from which on runs are made by it"`
	Released  string    `json:"released,omitempty" doc:"who released it"`
	InUse     bool      `json:"in_use" doc:"that day has come"`
}

// DraftView is one with its text.
type DraftView struct {
	DraftBrief
	Text string `json:"text"`
}

// DraftOrder is a draft as it is to be kept.
type DraftOrder struct {
	Text    string `json:"text" maxLength:"600000"`
	Why     string `json:"why" maxLength:"1000" doc:"what changes, and why"`
	Version int    `json:"version,omitempty" minimum:"0" doc:"that was changed; another one since then is refused"`
}

// ReleaseOrder is a draft that is to be released.
type ReleaseOrder struct {
	Version int    `json:"version" minimum:"1" doc:"that was read"`
	From    Day    `json:"from,omitempty" format:"date" doc:"the first day on which runs are made by it; left out: today"`
	Secret  string `json:"secret" maxLength:"200" doc:"one's password or PIN once more"`
}

func (ws *Workshop) draftBrief(d ledger.ProcedureDraft, who person.Person) DraftBrief {
	v := DraftBrief{ID: d.ID, Procedure: d.Procedure, Title: d.Title, Why: d.Why, State: string(d.State), Version: d.Version,
		By: d.By, At: d.At, Wrote: slices.Contains(d.Writers, who.ID), Revision: d.Revision, Hash: d.Hash, Released: d.ReleasedBy}
	if d.Effective != nil {
		v.From = Day(d.Effective.Format(time.DateOnly))
		v.InUse = d.State == ledger.DraftReleased && !d.Effective.After(ws.Clock())
	}
	return v
}

// Drafts are the procedures that are being written.
func (ws *Workshop) Drafts(who person.Person) ([]DraftBrief, error) {
	all, err := ws.Ledger.Drafts(ledger.DraftOpen)
	list := []DraftBrief{}
	for _, d := range all {
		list = append(list, ws.draftBrief(d, who))
	}
	return list, err
}

// draftsFor are the drafts that somebody can release: those that say why and that they did not write in.
func (ws *Workshop) draftsFor(who person.Person) ([]DraftBrief, error) {
	if !person.Can(who.Role, person.ReleaseProcedures) {
		return []DraftBrief{}, nil
	}
	all, err := ws.Drafts(who)
	return slices.DeleteFunc(all, func(d DraftBrief) bool { return d.Wrote || d.Why == "" }), err
}

// Draft is one with its text.
func (ws *Workshop) Draft(id string, who person.Person) (v DraftView, err error) {
	d, err := ws.Ledger.Draft(id)
	if err != nil {
		return v, err
	}
	return DraftView{ws.draftBrief(d, who), d.Text}, nil
}

// written is how a field at the top of a text reads, also where the rest is unfinished.
func written(text, name string) string {
	found := regexp.MustCompile(`(?m)^` + name + `:[ \t]*([^\n#]*)`).FindStringSubmatch(text)
	if found == nil {
		return ""
	}
	words := strings.Trim(strings.TrimSpace(found[1]), `"'`)
	return words[:min(len(words), 120)]
}

// mostDrafts is how many drafts are open at a time, at most.
const mostDrafts = 200

// BeginDraft keeps a procedure that somebody begins to write. Its text may be unfinished. An id made by the client keeps a
// retry from beginning a second one.
func (ws *Workshop) BeginDraft(id string, o DraftOrder, who person.Person) (DraftView, error) {
	ws.drafting.Lock()
	defer ws.drafting.Unlock()
	if _, err := ws.Ledger.Draft(id); err == nil {
		return ws.Draft(id, who)
	}
	open, err := ws.Ledger.Drafts(ledger.DraftOpen)
	if err != nil {
		return DraftView{}, err
	}
	if len(open) >= mostDrafts {
		return DraftView{}, invalid("text", fmt.Sprintf("%d drafts are open: release or drop some first.", len(open)))
	}
	d := ledger.ProcedureDraft{ID: id, State: ledger.DraftOpen}
	return ws.write(d, "procedure drafted", o, who)
}

// WriteDraft keeps what somebody wrote in a draft. Where somebody else wrote in it meanwhile nothing is kept, and that is said.
func (ws *Workshop) WriteDraft(id string, o DraftOrder, who person.Person) (DraftView, error) {
	ws.drafting.Lock()
	defer ws.drafting.Unlock()
	d, err := ws.Ledger.Draft(id)
	if err != nil {
		return DraftView{}, err
	}
	if d.Version == o.Version+1 && d.By == who.Name && d.Text == o.Text && d.Why == strings.TrimSpace(o.Why) {
		return DraftView{ws.draftBrief(d, who), d.Text}, nil // sent again, after an answer that was lost
	}
	if d, err = ws.openDraft(id, o.Version); err != nil {
		return DraftView{}, err
	}
	return ws.write(d, "draft changed", o, who)
}

func (ws *Workshop) write(d ledger.ProcedureDraft, kind string, o DraftOrder, who person.Person) (DraftView, error) {
	if strings.TrimSpace(o.Text) == "" {
		return DraftView{}, invalid("text", "There is nothing in it: write at least its id and its title.")
	}
	d.Text, d.Why, d.By, d.At = o.Text, strings.TrimSpace(o.Why), who.Name, ws.Clock()
	d.Procedure, d.Title = written(o.Text, "id"), written(o.Text, "title")
	if d.Version++; !slices.Contains(d.Writers, who.ID) {
		d.Writers = append(slices.Clip(d.Writers), who.ID)
	}
	if err := ws.Ledger.Record(ws.act("", kind, who, ""), &d); err != nil {
		return DraftView{}, err
	}
	return DraftView{ws.draftBrief(d, who), d.Text}, nil
}

// openDraft is a draft that is still open and of the version that somebody saw.
func (ws *Workshop) openDraft(id string, version int) (d ledger.ProcedureDraft, err error) {
	if d, err = ws.Ledger.Draft(id); err != nil {
		return d, err
	}
	if d.State != ledger.DraftOpen {
		return d, &run.Refusal{Kind: run.Conflict, Code: "draft-closed",
			Message: fmt.Sprintf("This draft was %s: begin another one for what is still to be changed.", d.State)}
	}
	if d.Version != version {
		return d, &run.Refusal{Kind: run.Conflict, Code: "draft-changed", Field: "version", Message: fmt.Sprintf(
			"%s changed this draft at %s, after you opened it. Nothing was kept of yours yet: copy it, and open the draft again.",
			d.By, d.At.Format("15:04"))}
	}
	return d, nil
}

// DropDraft gives a draft up. It stays in the record.
func (ws *Workshop) DropDraft(id string, version int, why string, who person.Person) error {
	ws.drafting.Lock()
	defer ws.drafting.Unlock()
	d, err := ws.openDraft(id, version)
	if err != nil {
		return err
	}
	if why = strings.TrimSpace(why); why == "" {
		return invalid("why", "Say why it is given up.")
	}
	d.State = ledger.DraftDropped
	return ws.Ledger.Record(ws.act("", "draft dropped", who, why), &d)
}

// ReleaseDraft approves a draft for use from a day on, after it was tried on simulated devices. shown is how whoever
// releases it showed who they are; nobody releases what they wrote in.
func (ws *Workshop) ReleaseDraft(id string, o ReleaseOrder, shown string, who person.Person) error {
	ws.drafting.Lock()
	defer ws.drafting.Unlock()
	d, err := ws.openDraft(id, o.Version)
	if err != nil {
		return err
	}
	if slices.Contains(d.Writers, who.ID) {
		return &run.Refusal{Kind: run.Forbidden, Code: "own-draft",
			Message: "You wrote in this draft: a lead who did not is to read and release it."}
	}
	if d.Why == "" {
		return invalid("why", "Say in the draft what changes, and why: whoever works by it, and an inspector, will ask.")
	}
	today := dayOf(ws.Clock())
	from := today
	if o.From != "" {
		from = ws.begin(o.From)
	}
	if from.Before(today) {
		return invalid("from", "It comes into use today or later: runs that were made are not made by it.")
	}
	if next, comes := ws.comes(d.Procedure); comes && from.Before(next.from) {
		return invalid("from", fmt.Sprintf("Revision %d comes into use on %s, and this one cannot come before it: "+
			"take that one back, or choose a later day.", next.Revision, next.from.Format(time.DateOnly)))
	}
	tried, err := ws.DryRun(d.Text)
	if err != nil {
		return err
	}
	p, err := releasable(d.Text, tried)
	if err != nil {
		return err
	}
	before, known := ws.procedure(p.ID)
	if known && before.Text == p.Text {
		return invalid("text", "Nothing differs from what is in use.")
	}
	begun, err := ws.begun(p, from)
	if err != nil {
		return err
	}
	now := ws.Clock()
	d.State, d.Procedure, d.Title, d.Revision, d.Hash = ledger.DraftReleased, p.ID, p.Title, p.Revision, p.Hash
	d.Released, d.ReleasedBy, d.Effective = &now, who.Name, &from
	file := ""
	if ws.Folder != "" && !from.After(now) {
		file = ws.fileOf(p.ID)
	}
	act := ws.act("", "procedure released", who, fmt.Sprintf("%s, shown by %s", run.Approved, shown))
	if err := ws.Ledger.ReleaseProcedure(act, &d, p, before, file, begun...); err != nil {
		return err
	}
	ws.use(p, from)
	return nil
}

// releasable is the procedure of a draft that was tried, or why it is not released.
func releasable(text string, tried DryRun) (*procedure.Procedure, error) {
	p, _ := readProcedure(text)
	switch {
	case len(tried.Mistakes) > 0:
		m := tried.Mistakes[0]
		return nil, invalid("text", strings.TrimSpace(m.Field+" "+m.Message)+".")
	case tried.Stopped != "":
		return nil, invalid("text", "It came to a stop when it was tried: "+tried.Stopped+".")
	}
	return p, nil
}

// TakeReleaseBack takes a release back whose day has not come.
func (ws *Workshop) TakeReleaseBack(id, why string, who person.Person) error {
	ws.drafting.Lock()
	defer ws.drafting.Unlock()
	d, err := ws.Ledger.Draft(id)
	if err != nil {
		return err
	}
	if d.State != ledger.DraftReleased || !d.Effective.After(ws.Clock()) {
		return &run.Refusal{Kind: run.Conflict, Code: "in-use", Message: "Only a release whose day has not come is taken back. " +
			"What is in use gives way to a further revision."}
	}
	if why = strings.TrimSpace(why); why == "" {
		return invalid("why", "Say why it is taken back.")
	}
	d.State = ledger.DraftTakenBack
	if err := ws.Ledger.Record(ws.act("", "release taken back", who, why), &d); err != nil {
		return err
	}
	ws.forgo(d.Hash)
	return nil
}

// begun are the activities that begin when a procedure is released whose interval makes a duty: on the
// devices of its family that have none by it, first due on the day on which it comes into use.
func (ws *Workshop) begun(p *procedure.Procedure, from time.Time) ([]*ledger.Activity, error) {
	if slices.ContainsFunc(ws.Duties, func(t duty.Template) bool { return t.Family == p.Family }) {
		return nil, nil // its family goes by a template
	}
	d, recurs := p.Duty()
	if !recurs {
		return nil, nil
	}
	devices, err := ws.Ledger.AssetsOfFamily(p.Family)
	if err != nil {
		return nil, err
	}
	var fresh []*ledger.Activity
	for _, a := range devices {
		known, err := ws.Ledger.Activities(a.ID)
		if err != nil {
			return nil, err
		}
		if a.Status != ledger.Gone && !slices.ContainsFunc(known,
			func(k ledger.Activity) bool { return k.Procedure == p.ID }) {
			fresh = append(fresh, ledger.NewActivity(ulid.Make().String(), a, d, from, "first time after its procedure was released"))
		}
	}
	return fresh, nil
}

// DraftInstruction is a draft as a work instruction on paper, marked as not for use.
func (ws *Workshop) DraftInstruction(id string) (f File, err error) {
	d, err := ws.Ledger.Draft(id)
	if err != nil {
		return f, err
	}
	p, mistakes := readProcedure(d.Text)
	if len(mistakes) > 0 {
		m := mistakes[0]
		return f, invalid("text", "It can be printed when it can be read: "+strings.TrimSpace(m.Field+" "+m.Message)+".")
	}
	if d.State == ledger.DraftReleased {
		return ws.Instruction(d.Hash)
	}
	return ws.instruction(p, fmt.Sprintf("DRAFT, NOT FOR USE; written by %s", d.By))
}
