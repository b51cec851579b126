package paper

import (
	"fmt"
	"northneedle/core/run"

	"github.com/boombuler/barcode/qr"
)

func (s *sheet) signature() {
	v := s.view.Signature
	s.title("Signature")
	s.line("Signed", fmt.Sprintf("%s (%s), %s%s", v.By.Name, v.By.Role, v.At.Format("2006-01-02 15:04:05 -07:00"),
		means(v.Signing)))
	if s.view.Under != nil {
		s.line("Made under", s.view.Under.Name)
	}
	if v.ReviewedAt != nil {
		instead := ""
		if v.InPlaceOf != "" {
			instead = " in place of " + v.InPlaceOf
		}
		s.line("Countersigned", fmt.Sprintf("%s%s, %s%s. %s", v.ReviewedBy, instead,
			v.ReviewedAt.Format("2006-01-02 15:04:05 -07:00"), means(*v.Reviewing), v.ReviewNote))
	}
}

// means is what a signature says, and how its signer showed who they were.
func means(signing run.Signing) string {
	if signing.Meaning == "" {
		return ""
	}
	if signing.Shown == "" {
		return ": " + string(signing.Meaning)
	}
	return fmt.Sprintf(": %s, shown by %s", signing.Meaning, signing.Shown)
}

// proof says how the paper is checked, beside the code that leads to its run.
func (s *sheet) proof(issue Issue) error {
	if issue.Sign == nil {
		return nil
	}
	s.title("How this paper is checked")
	const side = 20.0
	if s.GetY()+side > bottom {
		s.AddPage()
	}
	y := s.GetY()
	code, err := qr.Encode(issue.Link, qr.M, qr.Auto)
	if err != nil {
		return fmt.Errorf("the certificate's code could not be made: %w", err)
	}
	s.squares(code, margin, y+1, side)
	words := "The code names the run in the workshop's record. This file carries its data and a signature over every page and figure: " +
		"whoever has the workshop's public key can check it, also without a network. Printed, it is checked by its number in the record."
	if c := issue.Checkpoint; c != nil {
		words += fmt.Sprintf(" Checkpoint %d of the record, %s: event %d, %s.", c.N,
			c.At.Format("2006-01-02 15:04:05 -07:00"), c.Event, short(c.Head))
	}
	s.font("", 7.6, grey)
	s.SetXY(margin+side+4, y+1)
	s.MultiCell(width-side-4, 3.9, words, "", "L", false)
	s.SetXY(margin+side+4, s.GetY()+0.6)
	s.CellFormat(width-side-4, 3.9, issue.Link, "", 1, "L", false, 0, "")
	s.SetY(max(s.GetY(), y+side+2))
	return nil
}
