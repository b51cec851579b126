package procedure

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/interval"
	"northneedle/core/method"
)

// ambient is the step's template for what will be recorded.
func (s Step) ambient() method.Ambient {
	return method.Ambient{UPressureHPa: s.UPressure, Recorded: true}
}

// stepDone reports whether a step needs nothing more.
func (r Run) stepDone(s Step, now time.Time) bool {
	if r.Marks[s.ID].Skipped != "" || !r.Wanted(s.When) {
		return true
	}
	switch s.Kind() {
	case StepBring:
		return !slices.ContainsFunc(r.Procedure.Roles, func(role Role) bool { _, ok := r.Bound[role.ID]; return !ok && !role.Optional })
	case StepWait:
		t, started := r.Timers[s.ID]
		return started && t.Over(now)
	case StepMeasure:
		finding, _ := r.Procedure.FindingOf(s.ID)
		if r.Findings[finding.ID].Closed > 0 {
			return true
		}
		return !slices.ContainsFunc(s.Points, func(p Point) bool { return !r.complete(s, p, 0) })
	case StepFinding:
		return r.Findings[s.ID].done()
	case StepSign:
		return r.Signature != nil
	}
	_, done := r.Marks[s.ID]
	return done
}

// Blockers are what stands between the run and its signature, each a sentence.
func (r Run) Blockers(now time.Time) []string {
	blockers := []string{}
	for _, s := range r.Procedure.Way() {
		if s.Kind() == StepSign || r.stepDone(s, now) {
			continue
		}
		switch s.Kind() {
		case StepCheck, StepCautions:
			blockers = append(blockers, fmt.Sprintf("%s is not answered yet.", s.Title))
		case StepBring:
			blockers = append(blockers, "Not every role is filled with a standard.")
		case StepWait:
			blockers = append(blockers, fmt.Sprintf("%s is not over yet.", s.Title))
		case StepFinding:
			blockers = append(blockers, fmt.Sprintf("%s is not decided yet.", s.Title))
		default:
			blockers = append(blockers, fmt.Sprintf("%s is not done yet.", s.Title))
		}
	}
	for _, end := range r.LooseEnds {
		if end.ClosedAt.IsZero() {
			blockers = append(blockers, fmt.Sprintf("%s: still a loose end, open since %s.", end.What, end.OpenedAt.Format("15:04")))
		}
	}
	return blockers
}

// Outcome is the statement of conformity that the run would be signed with, and why.
func (r Run) Outcome() (Result, string) {
	omitted, failed, adjusted := 0, "", false
	for key := range r.Omitted {
		if m, _ := r.Procedure.Step(key.measure); !m.Optional {
			omitted++
		}
	}
	for _, s := range r.Procedure.Way() {
		mark := r.Marks[s.ID]
		if mark.Answer == NotFine {
			failed = fmt.Sprintf("%s: not fine (%s)", s.Title, mark.Note)
		}
		if s.Kind() != StepFinding {
			continue
		}
		if mark.Skipped != "" {
			if !s.Optional {
				omitted++
			}
			continue
		}
		state := r.Findings[s.ID]
		adjusted = adjusted || state.Closed > 1
		if state.last().Decision == adjust.Withdraw {
			failed = fmt.Sprintf("%s: withdrawn", s.Title)
			continue
		}
		if _, verdicts, err := r.judged(s, max(0, state.Closed-1)); err == nil {
			for _, v := range verdicts {
				if !v.Pass {
					failed = fmt.Sprintf("%s: a point does not conform", s.Title)
				}
			}
		}
	}
	for _, b := range r.Bound {
		if b.Override != "" {
			omitted++
		}
	}
	switch {
	case failed != "":
		return Fails, failed
	case omitted > 0:
		return NoStatement, "points were left out, or a standard was used as an exception: what was measured conforms, the whole is not stated"
	case adjusted:
		return ConformsAdjusted, "every point conforms as left"
	}
	return Conforms, "every point conforms as found; nothing was changed"
}

// NeedsReview reports whether a second person must countersign this run.
func (r Run) NeedsReview(by Person) bool {
	wanted := r.Lab.Review
	if r.Procedure.Review != "" {
		wanted = r.Procedure.Review
	}
	if by.Role == Trainee || wanted == ReviewAlways {
		return true
	}
	result, _ := r.Outcome()
	return wanted == ReviewOnFailure && !result.Passed()
}

// SignRun signs the run. Reviewer is who will countersign, where that is wanted.
type SignRun struct {
	Statement string
	Reviewer  *Person
}

func (c SignRun) decide(r Run, o Order) ([]Fact, error) {
	if blockers := r.Blockers(o.At); len(blockers) > 0 {
		return nil, refuse(Conflict, "not-finished", "", "It cannot be signed yet. %s", strings.Join(blockers, " "))
	}
	if strings.TrimSpace(c.Statement) == "" {
		return nil, refuse(Invalid, "statement", "statement", "Say in a sentence what was done and found.")
	}
	signed := RunSigned{Statement: strings.TrimSpace(c.Statement)}
	signed.Result, _ = r.Outcome()
	if r.NeedsReview(o.By) {
		switch {
		case c.Reviewer == nil:
			return nil, refuse(Invalid, "reviewer-missing", "reviewer", "This run needs a reviewer: name the lead who will countersign it.")
		case c.Reviewer.ID == o.By.ID:
			return nil, refuse(Invalid, "reviewer-self", "reviewer", "Nobody reviews their own run: name another lead.")
		case c.Reviewer.Role != Lead:
			return nil, refuse(Invalid, "reviewer-role", "reviewer", "%s is no lead: only a lead reviews.", c.Reviewer.Name)
		}
		signed.Reviewer = c.Reviewer.ID
	}
	if signed.Result.Passed() {
		next, err := r.Procedure.Next.After(o.At)
		if err != nil {
			return nil, refuse(Invalid, "interval", "next", "%s.", err)
		}
		signed.Next = r.within(next)
	}
	return []Fact{signed}, nil
}

// within is a due date that does not go beyond the last day of the standard it depends on.
func (r Run) within(next *interval.Due) *interval.Due {
	bound, ok := r.Bound[r.Procedure.Next.Within]
	if !ok || next == nil {
		return next
	}
	if last := bound.Standard.Certificate.DueOn; last.Before(next.On) {
		return &interval.Due{On: last, Reason: fmt.Sprintf("%s, which it was made with, is good until %s; by the calendar it would be %s", bound.Standard.Named(), last.Format(time.DateOnly), next.On.Format(time.DateOnly))}
	}
	return next
}

// After is the due date that a run done at a time leads to; none where each patient or
// the like is the interval.
func (n Next) After(done time.Time) (*interval.Due, error) {
	var due interval.Due
	var err error
	switch {
	case n.Each != "":
		return nil, nil
	case n.Days > 0:
		due, err = interval.FixedDays(done, n.Days, n.Why)
	default:
		due, err = interval.Fixed(done, n.Months, n.Why)
	}
	return &due, err
}

// ReviewRun countersigns; ReturnRun gives the run back with a reason.
type ReviewRun struct{ Note string }

func (c ReviewRun) decide(r Run, o Order) ([]Fact, error) {
	if err := r.mayReview(o); err != nil {
		return nil, err
	}
	return []Fact{RunReviewed{strings.TrimSpace(c.Note)}}, nil
}

func (r Run) mayReview(o Order) error {
	switch {
	case o.By.Role != Lead:
		return refuse(Forbidden, "lead-only", "", "Only a lead reviews a run.")
	case o.By.ID == r.Signature.By.ID:
		return refuse(Forbidden, "own-run", "", "Nobody reviews their own run.")
	}
	return nil
}

// ReturnRun gives a signed run back to its technician, with a reason.
type ReturnRun struct{ Reason string }

func (c ReturnRun) decide(r Run, o Order) ([]Fact, error) {
	if err := r.mayReview(o); err != nil {
		return nil, err
	}
	if strings.TrimSpace(c.Reason) == "" {
		return nil, refuse(Invalid, "reason-needed", "reason", "Say what should be looked at again.")
	}
	return []Fact{RunReturned{strings.TrimSpace(c.Reason)}}, nil
}

// AbandonRun gives a run up, with a reason. Its loose ends stay listed until closed.
type AbandonRun struct{ Reason string }

func (c AbandonRun) decide(r Run, o Order) ([]Fact, error) {
	if strings.TrimSpace(c.Reason) == "" {
		return nil, refuse(Invalid, "reason-needed", "reason", "Say why the run is given up.")
	}
	return []Fact{RunAbandoned{strings.TrimSpace(c.Reason)}}, nil
}
