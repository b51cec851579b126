package run

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/reference"
)

// RefusalKind says what sort of no a refusal is.
type RefusalKind string

const (
	Invalid   RefusalKind = "invalid"   // the entry itself is wrong
	Conflict  RefusalKind = "conflict"  // the run is not in a state for it
	Forbidden RefusalKind = "forbidden" // someone else may do it
	Question  RefusalKind = "question"  // plausible only if confirmed
)

// Refusal is why a command may not be carried out, in a sentence that names the
// field and the way out.
type Refusal struct {
	Kind    RefusalKind
	Code    string
	Field   string
	Message string
}

func (r *Refusal) Error() string { return r.Message }

func refuse(kind RefusalKind, code, field, format string, args ...any) error {
	return &Refusal{kind, code, field, fmt.Sprintf(format, args...)}
}

// Order is a command with who gives it and when.
type Order struct {
	At    time.Time
	By    person.Person
	Given *time.Time // when it was given, where it could not be sent at once; nil: at At

	Competences []person.Competence // who may do which family alone
	Registered  time.Time           // when the account of By was made; zero: before every run
	Shown       string              // how By showed that it was they, where this is a signature
	Content     string              // hash of the run's last event

	elsewhere bool // it is carried out once more from a record: who may do what alone there is not known
}

// Command is something a person wants to happen to a run.
type Command interface {
	decide(r Run, o Order) ([]Fact, error)
}

// Decide says what a command would do, as events that continue the run, or why it
// may not be done, as a [*Refusal]. The events carry the given id, with a suffix
// from the second on.
func (r Run) Decide(id string, c Command, o Order) ([]Event, error) {
	if !person.Can(o.By.Role, person.WorkRuns) {
		return nil, refuse(Forbidden, "technician-only", "", "%s", person.RefusalOf(person.WorkRuns))
	}
	if r.Seq == 0 {
		if _, opening := c.(OpenRun); !opening {
			return nil, refuse(Conflict, "not-open", "", "This run was never opened.")
		}
	} else if err := r.stillOpen(c); err != nil {
		return nil, err
	}
	if err := r.mayWork(c, o); err != nil {
		return nil, err
	}
	facts, err := c.decide(r, o)
	if err != nil {
		return nil, err
	}
	events := make([]Event, len(facts))
	for i, fact := range facts {
		event := Event{Run: r.ID, Seq: r.Seq + 1 + i, ID: id, At: o.At, By: o.By, Fact: fact}
		if i > 0 {
			event.ID = fmt.Sprintf("%s.%d", id, i+1)
		}
		events[i] = event
	}
	return events, nil
}

// stillOpen refuses what an ended run no longer takes. A loose end can be closed
// even after a run was abandoned, and a note added while it waits for review.
func (r Run) stillOpen(c Command) error {
	switch c.(type) {
	case OpenRun:
		return refuse(Conflict, "already-open", "", "This run is open already.")
	case ReviewRun, ReturnRun:
		if r.Status != InReview {
			return refuse(Conflict, "not-in-review", "", "This run is not waiting for a review: it is %s.", r.Status)
		}
		return nil
	case ReviseCertificate:
		if r.TakenIn != nil && !r.TakenIn.Ours {
			return refuse(Conflict, "elsewhere", "",
				"This run was made elsewhere: its certificate is issued by whoever made it.")
		}
		if r.Status != Signed {
			return refuse(Conflict, "not-signed", "", "There is no certificate of this run to issue anew: it is %s.",
				r.Status)
		}
		return nil
	case CloseOpenItem:
		if r.Status == Open || r.Status == Abandoned {
			return nil
		}
	}
	switch r.Status {
	case Open:
		return nil
	case InReview:
		return refuse(Conflict, "in-review", "",
			"This run is signed and waits for review by the lead; it can be returned to change something.")
	case Signed:
		return refuse(Conflict, "signed", "",
			"This run is signed and does not change any more. A correction is a new run that replaces it.")
	}
	return refuse(Conflict, "abandoned", "", "This run was abandoned. Open a new one for the device.")
}

// OpenRun opens a run for a device.
type OpenRun struct{ RunOpened }

func (c OpenRun) decide(r Run, o Order) ([]Fact, error) {
	p := r.Procedure
	if !p.Fits(c.Device.Family) {
		return nil, refuse(Invalid, "wrong-family", "procedure", "%s is a %s; the procedure %q is for a %s.",
			c.Device.Tag, c.Device.Family, p.Title, p.Family)
	}
	if err := c.Lab.Rule.Check(); err != nil {
		return nil, refuse(Invalid, "lab-rule", "rule", "The lab's settings: %s.", err)
	}
	if err := c.Lab.Policy.Check(); err != nil {
		return nil, refuse(Invalid, "lab-policy", "policy", "The lab's settings: %s.", err)
	}
	if c.Replaces != "" && strings.TrimSpace(c.Reason) == "" {
		return nil, refuse(Invalid, "reason-needed", "reason",
			"Say why the signed run is replaced: it stands in the record of both.")
	}
	if c.Under != nil {
		r.Device = c.Device
		if err := (NameSupervisor{*c.Under}).check(r, o); err != nil {
			return nil, err
		}
	}
	return []Fact{c.RunOpened}, nil
}

// BindStandard fills a role with a standard. An unfit one needs a lead and a
// reason, and then serves as-found only.
type BindStandard struct {
	Role     string
	Standard reference.Standard
	Override string
	Exchange string // why it takes the place of one that readings were taken with, from here on
}

func (c BindStandard) decide(r Run, o Order) ([]Fact, error) {
	role, ok := r.Procedure.RoleOf(c.Role)
	if !ok {
		return nil, refuse(Invalid, "no-such-role", "role", "This procedure has no role %q.", c.Role)
	}
	if _, bound := r.Bound[c.Role]; bound && r.UsedIn(c.Role) {
		if err := r.mayExchange(c, role); err != nil {
			return nil, err
		}
	} else {
		c.Exchange = ""
	}
	fitness := role.Fits(c.Standard, o.At)
	if len(fitness.Blocks) > 0 {
		if strings.TrimSpace(c.Override) == "" {
			return nil, refuse(Conflict, "unfit-standard", "standard",
				"%s Choose another one, or ask the lead to allow it for as-found readings only, with a reason.",
				strings.Join(fitness.Blocks, " "))
		}
		if !person.Can(o.By.Role, person.UseUnfit) {
			return nil, refuse(Forbidden, "lead-only", "override", "%s %s", strings.Join(fitness.Blocks, " "),
				person.RefusalOf(person.UseUnfit))
		}
		if c.Standard.Kind != role.Kind {
			return nil, refuse(Invalid, "wrong-kind", "standard", "%s", strings.Join(fitness.Blocks, " "))
		}
	} else {
		c.Override = ""
	}
	return []Fact{StandardBound{Role: c.Role, Standard: role.Filling(c.Standard, o.At), Override: strings.TrimSpace(c.Override),
		Problems: fitness.Blocks, Exchange: strings.TrimSpace(c.Exchange)}}, nil
}

// mayExchange refuses to exchange a standard that readings were taken with, without a reason, for itself, or in the middle
// of a point: points that were read keep the one that they were read with.
func (r Run) mayExchange(c BindStandard, role reference.Role) error {
	before := r.Bound[c.Role].Standard
	switch {
	case strings.TrimSpace(c.Exchange) == "":
		return refuse(Conflict, "role-in-use", "reason",
			"%s: readings were taken with %s. Say why it is exchanged from here on; what was read keeps %s.", role.Title, before.Tag,
			before.Tag)
	case before.ID == c.Standard.ID:
		return refuse(Conflict, "same-standard", "standard", "%s fills the role already.", before.Tag)
	}
	for _, m := range r.Procedure.Measures() {
		round, err := r.PointRound(m)
		for i := range m.Points {
			p := &m.Points[i]
			if err == nil && m.Uses(p, c.Role) && len(r.taken(m.ID, p.ID, round)) > 0 &&
				!r.Complete(m, p, round) {
				return refuse(Conflict, "half-read", "role",
					"%s, %s is half read with %s: finish it, or withdraw its readings, before the exchange.", m.Title, p.Label, before.Tag)
			}
		}
	}
	return nil
}

// UsedIn reports whether readings that stand were taken with a role's standard.
func (r Run) UsedIn(role string) bool {
	return slices.ContainsFunc(r.Readings, func(reading Reading) bool {
		m := r.Procedure.Measure(reading.Measure)
		if m == nil || m.Point(reading.Point) == nil {
			return false
		}
		p := m.Point(reading.Point)
		return reading.Stands() && m.Uses(p, role)
	})
}

// DoStep says that an act was done.
type DoStep struct{ Step string }

func (c DoStep) decide(r Run, o Order) ([]Fact, error) {
	step, err := stepOf[*procedure.ActStep](r, c.Step)
	if err != nil {
		return nil, err
	}
	if mark, done := r.Marks[c.Step]; done && mark.Skipped == "" {
		return nil, refuse(Conflict, "done", "step", "%s is done already.", step.Title)
	}
	if err := r.InOrder(step, o.At); err != nil {
		return nil, err
	}
	return append([]Fact{StepDone(c)}, r.ends(step)...), nil
}

// ends are the loose ends that a step opens and closes now.
func (r Run) ends(s procedure.Step) []Fact {
	var facts []Fact
	step := s.Base()
	if step.Opens != "" && !r.isOpen(step.Opens) {
		facts = append(facts, OpenItemAdded{step.Opens, step.ID})
	}
	for _, what := range step.Closes {
		if r.isOpen(what) {
			facts = append(facts, OpenItemClosed{What: what, Step: step.ID})
		}
	}
	return facts
}

func (r Run) isOpen(what string) bool {
	return slices.ContainsFunc(r.OpenItems, func(e OpenItem) bool { return e.What == what && e.ClosedAt.IsZero() })
}

// SkipStep leaves a step out, with a reason.
type SkipStep struct{ Step, Reason string }

func (c SkipStep) decide(r Run, o Order) ([]Fact, error) {
	found, err := r.step(c.Step, procedure.StepCheck, procedure.StepAct, procedure.StepWait, procedure.StepAmbient,
		procedure.StepRecord, procedure.StepMeasure, procedure.StepFinding)
	if err != nil {
		return nil, err
	}
	step := found.Base()
	if strings.TrimSpace(c.Reason) == "" {
		return nil, refuse(Invalid, "reason-needed", "reason",
			"%s: say why it is left out. The certificate will state it.", step.Title)
	}
	if mark, done := r.Marks[c.Step]; done && mark.Skipped == "" {
		return nil, refuse(Conflict, "done", "step", "%s is done already.", step.Title)
	}
	if err := onlyLead(found, o); err != nil {
		return nil, err
	}
	if slices.ContainsFunc(step.Closes, r.isOpen) {
		return nil, refuse(Conflict, "loose-end", "step",
			"%s closes a loose end that is open: do it, or close the loose end by hand first.", step.Title)
	}
	return r.skip(found, strings.TrimSpace(c.Reason))
}

// onlyLead refuses leaving out what only a lead may leave out.
func onlyLead(s procedure.Step, o Order) error {
	if step := s.Base(); step.LeadOnly() && !person.Can(o.By.Role, person.SkipLeadSteps) {
		return refuse(Forbidden, "lead-only", "step", "%s comes first here. %s", step.Title,
			person.RefusalOf(person.SkipLeadSteps))
	}
	return nil
}

func (r Run) skip(step procedure.Step, reason string) ([]Fact, error) {
	switch s := step.(type) {
	case *procedure.Measure:
		return r.omitAll(s, reason)
	case *procedure.Finding:
		for _, m := range s.Measures {
			for _, p := range m.Points {
				if len(r.taken(m.ID, p.ID, 0)) > 0 {
					return nil, refuse(Conflict, "measured", "step", "%s has readings to judge: decide on them.",
						s.Title)
				}
			}
		}
	}
	return []Fact{StepSkipped{step.Base().ID, reason}}, nil
}

// stepOf finds a step of one kind, by its type.
func stepOf[S procedure.Step](r Run, id string) (step S, err error) {
	found, err := r.step(id)
	if err != nil {
		return step, err
	}
	step, ok := found.(S)
	if !ok {
		return step, refuse(Invalid, "wrong-step", "step", "%s is a step of another kind (%s).", found.Base().Title,
			found.Kind())
	}
	return step, nil
}

// step finds a step that is one of the kinds; of any kind where none is named.
func (r Run) step(id string, kinds ...procedure.StepKind) (procedure.Step, error) {
	step := r.Procedure.Step(id)
	if step == nil {
		return nil, refuse(Invalid, "no-such-step", "step", "This procedure has no step %q.", id)
	}
	if len(kinds) > 0 && !slices.Contains(kinds, step.Kind()) {
		return nil, refuse(Invalid, "wrong-step", "step", "%s is a step of another kind (%s).", step.Base().Title,
			step.Kind())
	}
	return step, nil
}

// InOrder refuses a step while an earlier one is open. Closing what stands open is never out of order.
func (r Run) InOrder(s procedure.Step, now time.Time) error {
	step := s.Base()
	if slices.ContainsFunc(step.Closes, r.isOpen) {
		return nil
	}
	for _, before := range r.Procedure.Way() {
		earlier := before.Base()
		if earlier.ID == step.ID {
			return nil
		}
		if r.StepDone(before, now) {
			continue
		}
		if timer, running := r.Timers[earlier.ID]; running {
			return refuse(Conflict, "waiting", "step", "%s runs until %s: wait for it, or cut it short with a reason.",
				earlier.Title, timer.Until.Format("15:04:05"))
		}
		return refuse(Conflict, "out-of-order", "step", "%s comes before %s: finish it, or leave it out with a reason.",
			earlier.Title, step.Title)
	}
	return nil
}

// StartWait starts a timer; CutWait ends it early, with a reason.
type StartWait struct{ Step string }

func (c StartWait) decide(r Run, o Order) ([]Fact, error) {
	step, err := stepOf[*procedure.WaitStep](r, c.Step)
	if err != nil {
		return nil, err
	}
	if _, running := r.Timers[c.Step]; running {
		return nil, refuse(Conflict, "running", "step", "%s: the timer was started already.", step.Title)
	}
	return []Fact{WaitStarted{c.Step, o.At.Add(time.Duration(step.Minutes * float64(time.Minute)))}}, nil
}

// CutWait ends a wait before its time, with a reason.
type CutWait struct{ Step, Reason string }

func (c CutWait) decide(r Run, o Order) ([]Fact, error) {
	step, err := stepOf[*procedure.WaitStep](r, c.Step)
	if err != nil {
		return nil, err
	}
	timer, running := r.Timers[c.Step]
	switch {
	case !running:
		return nil, refuse(Conflict, "not-running", "step", "%s: the timer is not running.", step.Title)
	case timer.Over(o.At):
		return nil, refuse(Conflict, "over", "step", "%s: the wait is over already.", step.Title)
	case strings.TrimSpace(c.Reason) == "":
		return nil, refuse(Invalid, "reason-needed", "reason",
			"%s: say why it is cut short (%s). The certificate will state it.", step.Title, step.Why)
	}
	return []Fact{WaitCutShort{c.Step, strings.TrimSpace(c.Reason)}}, nil
}

// AddNote adds a remark to the record.
type AddNote struct{ Text string }

func (c AddNote) decide(r Run, o Order) ([]Fact, error) {
	text := strings.TrimSpace(c.Text)
	if text == "" || len(text) > 4000 {
		return nil, refuse(Invalid, "note", "text", "A note has 1 to 4000 characters.")
	}
	return []Fact{NoteAdded{text}}, nil
}

// AddOpenItem notes something left open that no step foresaw.
type AddOpenItem struct{ What string }

func (c AddOpenItem) decide(r Run, o Order) ([]Fact, error) {
	what := strings.TrimSpace(c.What)
	if what == "" || len(what) > 200 {
		return nil, refuse(Invalid, "what", "what", "Say what was left open, in 1 to 200 characters.")
	}
	if r.isOpen(what) {
		return nil, refuse(Conflict, "open", "what", "%q is a loose end already.", what)
	}
	return []Fact{OpenItemAdded{What: what}}, nil
}

// CloseOpenItem closes one by hand.
type CloseOpenItem struct{ What, Note string }

func (c CloseOpenItem) decide(r Run, o Order) ([]Fact, error) {
	if !r.isOpen(c.What) {
		return nil, refuse(Conflict, "not-open", "what", "%q is not open.", c.What)
	}
	return []Fact{OpenItemClosed{What: c.What, Note: strings.TrimSpace(c.Note)}}, nil
}
