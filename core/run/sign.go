package run

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/interval"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/reference"
)

// StepDone reports whether a step needs nothing more.
func (r Run) StepDone(s procedure.Step, now time.Time) bool {
	b := s.Base()
	mark, done := r.Marks[b.ID]
	if mark.Skipped != "" || !r.Holds(b.Condition) {
		return true
	}
	switch s := s.(type) {
	case *procedure.BringStep:
		empty := func(role reference.Role) bool { _, ok := r.Bound[role.ID]; return !ok && !role.Optional }
		return !slices.ContainsFunc(r.Procedure.Roles, empty)
	case *procedure.WaitStep:
		t, started := r.Timers[s.ID]
		return started && t.Over(now)
	case *procedure.Measure:
		return r.Findings[s.Judge.ID].Closed > 0 || r.open(s, 0) == nil
	case *procedure.Finding:
		return r.Findings[s.ID].Done()
	case *procedure.SignStep:
		return r.Signature != nil
	}
	return done
}

// Blockers are what stands between the run and its signature, each a sentence.
func (r Run) Blockers(now time.Time) []string {
	blockers := []string{}
	for _, s := range r.Procedure.Way() {
		if s.Kind() == procedure.StepSign || r.StepDone(s, now) {
			continue
		}
		title := s.Base().Title
		switch s.Kind() {
		case procedure.StepCheck, procedure.StepCautions:
			blockers = append(blockers, fmt.Sprintf("%s is not answered yet.", title))
		case procedure.StepBring:
			blockers = append(blockers, "Not every role is filled with a standard.")
		case procedure.StepWait:
			blockers = append(blockers, fmt.Sprintf("%s is not over yet.", title))
		case procedure.StepFinding:
			blockers = append(blockers, fmt.Sprintf("%s is not decided yet.", title))
		default:
			blockers = append(blockers, fmt.Sprintf("%s is not done yet.", title))
		}
	}
	for _, end := range r.OpenItems {
		if end.ClosedAt.IsZero() {
			blockers = append(blockers, fmt.Sprintf("%s: still a loose end, open since %s.", end.What,
				end.OpenedAt.Format("15:04")))
		}
	}
	return blockers
}

// NeedsReview reports whether a second person must countersign this run, which came to a result.
func (r Run) NeedsReview(by person.Person, result Result) bool {
	return by.Role == person.Trainee || r.trainee() || r.Under != nil || r.leadReviewsOf(result)
}

// leadReviewsOf reports whether a lead must countersign a run that came to this result, whoever made it.
func (r Run) leadReviewsOf(result Result) bool {
	wanted := r.Lab.Review
	if r.Procedure.Review != "" {
		wanted = r.Procedure.Review
	}
	return wanted == procedure.ReviewAlways || wanted == procedure.ReviewOnFailure && !result.Passed() ||
		result == ConformsSetUp && r.Device.grave()
}

// leadReviews is the same of the result that was signed, or that the run has come to.
func (r Run) leadReviews() bool {
	if r.Signature != nil {
		return r.leadReviewsOf(r.Signature.Result)
	}
	result, _ := r.Outcome()
	return r.leadReviewsOf(result)
}

// SignRun signs the run. Reviewer is who will countersign, where that is wanted; left out, it is whom the run is made under.
type SignRun struct {
	Statement  string
	Reviewer   *person.Person
	Registered time.Time // when the reviewer's account was made; zero: before every run
}

func (c SignRun) decide(r Run, o Order) ([]Fact, error) {
	if blockers := r.Blockers(o.At); len(blockers) > 0 {
		return nil, refuse(Conflict, "not-finished", "", "It cannot be signed yet. %s", strings.Join(blockers, " "))
	}
	if strings.TrimSpace(c.Statement) == "" {
		return nil, refuse(Invalid, "statement", "statement", "Say in a sentence what was done and found.")
	}
	signed := RunSigned{Statement: strings.TrimSpace(c.Statement), Signing: o.signing(Performed)}
	signed.Result, _ = r.Outcome()
	if r.NeedsReview(o.By, signed.Result) {
		if c.Reviewer == nil {
			c.Reviewer = r.Under
		}
		switch {
		case c.Reviewer == nil:
			return nil, refuse(Invalid, "reviewer-missing", "reviewer",
				"This run needs a reviewer: name the lead who will countersign it.")
		case c.Reviewer.ID == o.By.ID:
			return nil, refuse(Invalid, "reviewer-self", "reviewer", "Nobody reviews their own run: name another lead.")
		}
		if err := r.MayCountersign(*c.Reviewer, c.Registered, o); err != nil {
			return nil, err
		}
		signed.Reviewer, signed.ReviewerName = c.Reviewer.ID, c.Reviewer.Name
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

// within is a due date that does not go beyond the last day of any standard that it depends on.
func (r Run) within(next *interval.Due) *interval.Due {
	if next == nil {
		return nil
	}
	calendar := next.On
	for _, role := range r.Procedure.Next.Within {
		bound, ok := r.Bound[role]
		if !ok {
			continue
		}
		if last := bound.Standard.Certificate.DueOn; last.Before(next.On) {
			next = &interval.Due{On: last,
				Reason: fmt.Sprintf("%s, which it was made with, is good until %s; by the calendar it would be %s",
					bound.Standard.Named(), last.Format(time.DateOnly), calendar.Format(time.DateOnly))}
		}
	}
	return next
}

// ReviewRun countersigns; ReturnRun gives the run back with a reason.
type ReviewRun struct{ Note string }

func (c ReviewRun) decide(r Run, o Order) ([]Fact, error) {
	if err := r.MayCountersign(o.By, o.Registered, o); err != nil {
		return nil, err
	}
	reviewed := RunReviewed{Note: strings.TrimSpace(c.Note), Signing: o.signing(Agreed)}
	if r.Signature.Reviewer != o.By.ID {
		reviewed.InPlaceOf = cmp.Or(r.Signature.ReviewerName, r.Signature.Reviewer)
	}
	return []Fact{reviewed}, nil
}

// ReturnRun gives a signed run back to its technician, with a reason.
type ReturnRun struct {
	Reason string
	Marks  []PointMark
}

func (c ReturnRun) decide(r Run, o Order) ([]Fact, error) {
	if err := r.MayCountersign(o.By, o.Registered, o); err != nil {
		return nil, err
	}
	if strings.TrimSpace(c.Reason) == "" {
		return nil, refuse(Invalid, "reason-needed", "reason", "Say what should be looked at again.")
	}
	for _, mark := range c.Marks {
		if _, _, err := r.point(mark.Measure, mark.Point); err != nil {
			return nil, err
		}
		if strings.TrimSpace(mark.Note) == "" {
			return nil, refuse(Invalid, "note-needed", "note", "Say what is to be looked at at each point that is marked.")
		}
	}
	return []Fact{RunReturned{strings.TrimSpace(c.Reason), c.Marks}}, nil
}

// AbandonRun gives a run up, with a reason. Its loose ends stay listed until closed.
type AbandonRun struct{ Reason string }

func (c AbandonRun) decide(r Run, o Order) ([]Fact, error) {
	if strings.TrimSpace(c.Reason) == "" {
		return nil, refuse(Invalid, "reason-needed", "reason", "Say why the run is given up.")
	}
	if other := slices.ContainsFunc(r.Hands, func(p person.Person) bool { return p.ID != o.By.ID }); other &&
		o.By.Role == person.Trainee {
		return nil, refuse(Forbidden, "not-yours", "",
			"Others recorded something in this run: one of them, or a lead, gives it up.")
	}
	return []Fact{RunAbandoned{strings.TrimSpace(c.Reason)}}, nil
}
