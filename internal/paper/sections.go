package paper

import (
	"fmt"
	"northneedle/core/procedure"
	"northneedle/core/quantity"
	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/core/runview"
	"strings"
	"time"
)

func (s *sheet) standards() {
	s.title("Reference standards used")
	for _, r := range s.view.Roles {
		if r.Standard == nil {
			continue
		}
		s.font("B", 8.5, ink)
		s.CellFormat(width, 4.6, r.Title, "", 1, "L", false, 0, "")
		s.font("", 8.5, ink)
		for _, e := range r.Earlier {
			s.MultiCell(width, 4.4, fmt.Sprintf("Until %s, for %s: %s", e.Until.Format("15:04"), strings.Join(e.Points, ", "),
				standardWords(e.Standard)), "", "L", false)
			s.MultiCell(width, 4.4, "Then, exchanged because: "+strings.TrimRight(e.Why, ".")+".", "", "L", false)
		}
		s.MultiCell(width, 4.4, standardWords(*r.Standard), "", "L", false)
		s.Ln(0.8)
	}
}

// standardWords is a reference or a lot with its certificate, its values, and how it was prepared.
func standardWords(standard reference.Standard) string {
	kind := "in-house certificate"
	if standard.Certificate.Accredited {
		kind = "accredited certificate"
	}
	text := fmt.Sprintf("%s, %s, serial %s; %s %s by %s of %s, valid until %s", standard.Named(), standard.Name,
		standard.Serial, kind, standard.Certificate.Number, standard.Certificate.Issuer,
		standard.Certificate.On.Format(time.DateOnly), standard.Certificate.DueOn.Format(time.DateOnly))
	var values []string
	for _, c := range standard.Values {
		name := c.Quantity
		if c.Piece != "" {
			name += " " + c.Piece
		}
		values = append(values, certified(name, c.Value, c.From, c.To, c.Unit, c.U, c.K))
	}
	if len(values) > 0 {
		text += ": " + strings.Join(values, "; ")
	}
	said := map[string]bool{}
	for _, done := range standard.Prepared { // the newest first
		if !said[done.Finding] {
			said[done.Finding] = true
			text += fmt.Sprintf("; %s prepared on %s by %s", strings.ReplaceAll(done.Finding, "-", " "),
				done.At.Format(time.DateOnly), done.By)
			if len(said) == 1 {
				for _, set := range done.Settings {
					text += fmt.Sprintf("; %s: %s", set.Label, set.Value)
				}
			}
		}
	}
	return text + "."
}

func certified(name string, value, from, to float64, unit string, u, k float64) string {
	shown := quantity.ShowUnit(unit)
	if from != 0 || to != 0 {
		return strings.TrimSpace(fmt.Sprintf("%s %g to %g %s, U %g %s (k = %g)", name, from, to, shown, u, shown, k))
	}
	return strings.TrimSpace(fmt.Sprintf("%s %g %s, U %g %s (k = %g)", name, value, shown, u, shown, k))
}

func (s *sheet) conditions() {
	a := s.view.Ambient
	if !a.Recorded {
		return
	}
	s.title("Room conditions")
	s.line("Recorded", fmt.Sprintf("%s °C, %s hPa, %s %% relative humidity (%s)", quantity.Format(a.TemperatureC, 0.1),
		quantity.Format(a.PressureHPa, 0.1), quantity.Format(a.HumidityPercent,
			1), strings.TrimSuffix(a.Source+", "+a.Certificate, ", ")))
}

// plate is what was recorded of the device and its set-up: its data plate, what was chosen, what was fitted.
func (s *sheet) plate() {
	begun := false
	for _, step := range s.view.Steps {
		if step.Kind != procedure.StepRecord || !step.Done || step.Skipped != "" {
			continue
		}
		var said []string
		for _, f := range step.Fields {
			if words := f.Recorded(step.Plate, step.Choices); words != "" {
				said = append(said, f.Label+": "+words)
			}
		}
		if len(said) == 0 {
			continue
		}
		if !begun {
			s.title("Data plate and settings")
			begun = true
		}
		s.line(step.Title, strings.Join(said, "; ")+".")
	}
}

// items are the answers to every check, and every act: those that were fine together, each other one with its reason.
func (s *sheet) items() {
	var fine, done, rest []string
	for _, step := range s.view.Steps {
		check := step.Kind == procedure.StepCheck
		switch {
		case !check && step.Kind != procedure.StepAct || !step.Done:
		case step.Skipped != "":
			rest = append(rest, step.Title+": not done: "+step.Skipped)
		case !check:
			done = append(done, step.Title)
		case step.Answer == run.Fine:
			fine = append(fine, step.Title)
		default:
			rest = append(rest, fmt.Sprintf("%s: %s: %s", step.Title, runview.AnswerWords(step.Tests, step.Answer), step.Note))
		}
	}
	if len(fine)+len(done)+len(rest) == 0 {
		return
	}
	s.title("Checks and acts")
	for _, group := range []struct {
		words string
		items []string
	}{{"Fine", fine}, {"Done", done}, {"Otherwise", rest}} {
		if len(group.items) > 0 {
			s.line(group.words, strings.Join(group.items, "; ")+".")
		}
	}
}

func (s *sheet) remarks() {
	var made []string
	for _, f := range s.view.Findings {
		if f.Seen != nil {
			made = append(made, f.Seen.Words)
			made = append(made, f.Seen.Lines...)
		}
		for _, d := range f.Decisions {
			made = append(made, fmt.Sprintf("%s: %s. %s", f.Title, d.Decision, d.Why))
		}
		for _, words := range f.Made {
			made = append(made, fmt.Sprintf("%s, %s.", f.Title, strings.TrimSuffix(words, ".")))
		}
	}
	made = append(made, s.view.Remarks...)
	for _, n := range s.view.Notes {
		made = append(made, "Note: "+n.Text)
	}
	if len(made) == 0 {
		return
	}
	s.title("Findings, adjustments and remarks")
	s.font("", 8.5, ink)
	for _, text := range made {
		s.MultiCell(width, 4.4, "· "+text, "", "L", false)
	}
}

func (s *sheet) cautions() {
	s.title("Please note")
	s.font("", 7.6, grey)
	for _, text := range append(append([]string{}, s.view.Procedure.Cautions...),
		"The maker's manual, local codes and licensed practice come before this paper. It states what was found on that day under those conditions; the interval is a plan, not a promise.") {
		s.MultiCell(width, 3.9, "· "+text, "", "L", false)
	}
}
