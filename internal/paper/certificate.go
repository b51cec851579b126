// Package paper writes what is handed to people: certificates as PDF.
package paper

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"northneedle/core/run"
	"northneedle/core/runview"

	"codeberg.org/go-pdf/fpdf"
)

// colour is an ink.
type colour struct{ r, g, b int }

var (
	ink       = colour{27, 36, 48}
	grey      = colour{85, 96, 109}
	hairline  = colour{190, 183, 166}
	brass     = colour{154, 106, 20}
	petrol    = colour{13, 100, 112}
	vermilion = colour{178, 58, 29}
)

const (
	margin = 16.0
	width  = 210 - 2*margin
)

// sheet is a certificate being written.
type sheet struct {
	*fpdf.Fpdf
	view runview.View
}

// Issue is what a certificate carries besides its run.
type Issue struct {
	Head   string   // hash of the record's last event, so that the paper can be checked against the record
	Void   string   // why the certificate is no longer valid; empty where it is
	Doubts []string // what has come to be known since of the references that it rests on
	Logo   []byte   // PNG or JPEG; none where there is none
	Link   string   // where the run can be seen; it is the code on the paper

	Checkpoint *Point                    // of the record, the first that holds the run's last event
	Sign       func(any) (string, error) // by the workshop's key, as a JWS; nil: the paper carries no proof
}

// Certificate writes a signed run's certificate as PDF, with its data as JSON inside.
func Certificate(v runview.View, issue Issue) ([]byte, error) {
	if v.Signature == nil {
		return nil, fmt.Errorf("the run is not signed yet: there is no certificate of it")
	}
	data, err := json.Marshal(v)
	if err != nil {
		return nil, fmt.Errorf("the certificate's data could not be written: %w", err)
	}
	attached := []fpdf.Attachment{{Content: data, Filename: dataFile}}
	if issue.Sign == nil {
		return write(v, issue, attached)
	}
	plain, err := write(v, issue, nil)
	if err != nil {
		return nil, err
	}
	shown, err := read(plain)
	if err != nil {
		return nil, fmt.Errorf("the certificate's pages could not be read again: %w", err)
	}
	proof := Proof{Number: Number(v), Lab: v.Lab, Run: v.ID, Revision: v.Revision, Event: v.Seq, Head: issue.Head,
		Signed: v.Signature.At,
		By:     v.Signature.By.Name, Void: issue.Void, Checkpoint: issue.Checkpoint, Pages: shown.pages}
	if proof.Data, err = partsOf(data); err != nil {
		return nil, err
	}
	signed, err := issue.Sign(proof)
	if err != nil {
		return nil, err
	}
	pdf, err := write(v, issue, append(attached, fpdf.Attachment{Content: []byte(signed), Filename: proofFile}))
	if err != nil {
		return nil, err
	}
	return sealed(pdf, proof, issue.Sign)
}

// write writes the pages, with some files attached.
func write(v runview.View, issue Issue, attached []fpdf.Attachment) ([]byte, error) {
	s := begin(fpdf.New("P", "mm", "A4", ""), "Certificate "+Number(v), v.Signature.At)
	s.view = v
	s.SetMargins(margin, 14, margin)
	s.SetAutoPageBreak(true, 20)
	s.AliasNbPages("")
	s.SetFooterFunc(func() {
		s.SetY(-14)
		s.font("", 7, grey)
		s.CellFormat(width-20, 4, fmt.Sprintf("%s %s · record %s, %d events, last hash %s", titleOf(v), Number(v), v.ID,
			v.Seq, short(issue.Head)), "", 0, "L", false, 0, "")
		s.CellFormat(20, 4, fmt.Sprintf("page %d of {nb}", s.PageNo()), "", 0, "R", false, 0, "")
	})
	s.AddPage()
	s.heading(issue.Logo)
	s.issue(issue)
	s.statement()
	if !v.Procedure.Maintains {
		s.points()
		s.readings()
		s.standards()
		s.conditions()
	}
	s.plate()
	s.items()
	s.remarks()
	s.signature()
	s.cautions()
	if err := s.proof(issue); err != nil {
		return nil, err
	}
	s.SetAttachments(attached)
	var out bytes.Buffer
	if err := s.Output(&out); err != nil {
		return nil, fmt.Errorf("the certificate could not be written: %w", err)
	}
	return out.Bytes(), nil
}

// Number is the certificate's number: the device's tag, the day, the end of the run's id,
// and the revision from the second on.
func Number(v runview.View) string {
	number := fmt.Sprintf("%s-%s-%s", v.Device.Tag, v.Signature.At.Format("20060102"), v.ID[len(v.ID)-4:])
	if v.Revision > 1 {
		number += fmt.Sprintf("-r%d", v.Revision)
	}
	return number
}

func short(hash string) string {
	if len(hash) > 16 {
		return hash[:16]
	}
	return hash
}

func (s *sheet) font(style string, size float64, c colour) {
	s.SetFont("needle", style, size)
	s.SetTextColor(c.r, c.g, c.b)
}

func (s *sheet) draw(c colour, line float64) {
	s.SetDrawColor(c.r, c.g, c.b)
	s.SetFillColor(c.r, c.g, c.b)
	s.SetLineWidth(line)
}

func (s *sheet) rule(c colour, line float64) {
	s.draw(c, line)
	s.Line(margin, s.GetY(), margin+width, s.GetY())
	s.Ln(2)
}

func (s *sheet) title(text string) {
	if s.GetY() > 255 {
		s.AddPage()
	}
	s.Ln(3)
	s.font("B", 9.5, ink)
	s.CellFormat(width, 5, text, "", 1, "L", false, 0, "")
	s.Ln(0.5)
}

func (s *sheet) line(label, text string) {
	s.font("", 8.5, grey)
	s.CellFormat(34, 4.6, label, "", 0, "L", false, 0, "")
	s.font("", 8.5, ink)
	s.MultiCell(width-34, 4.6, text, "", "L", false)
}

// titleOf is what the paper of a run is called.
func titleOf(v runview.View) string {
	if v.Procedure.Maintains {
		return "Maintenance record"
	}
	return "Verification certificate"
}

func (s *sheet) heading(logo []byte) {
	v := s.view
	s.mark()
	s.logo(logo)
	s.SetXY(margin+11, 13.5)
	s.font("B", 15, ink)
	s.CellFormat(width-11, 6, titleOf(v), "", 2, "L", false, 0, "")
	s.font("", 8.5, grey)
	s.CellFormat(width-11, 4.5, v.Lab+" · "+Number(v), "", 1, "L", false, 0, "")
	if address := strings.Join(strings.Fields(v.Letterhead.Address), " "); address != "" {
		s.SetX(margin + 11)
		s.CellFormat(width-11, 4.2, address, "", 1, "L", false, 0, "")
	}
	if accredited(v) {
		s.SetX(margin + 11)
		s.CellFormat(width-11, 4.2, "Accredited by "+v.Letterhead.Accreditation.Words()+", for what is marked ‡", "",
			1, "L", false, 0, "")
	}
	s.Ln(2.5)
	s.rule(ink, 0.5)
	d := v.Device
	s.line("Device", fmt.Sprintf("%s · %s %s · serial %s", d.Tag, d.Maker, d.Model, d.Serial))
	s.line("Place", strings.Trim(d.Site+" · "+d.Place, " ·"))
	s.line("Procedure", fmt.Sprintf("%s, revision %d", v.Procedure.Title, v.Procedure.Revision))
	s.line("Made", fmt.Sprintf("%s to %s, by %s", v.OpenedAt.Format("2006-01-02 15:04"),
		v.Signature.At.Format("2006-01-02 15:04"), v.Signature.By.Name))
}

// issue says which revision of the certificate this is, and what became of it.
func (s *sheet) issue(issue Issue) {
	if n := len(s.view.Revisions); n > 0 {
		r := s.view.Revisions[n-1]
		s.line("Revision", fmt.Sprintf("%d of %s by %s; it takes the place of revision %d. %s: %s", r.Revision,
			r.At.Format(time.DateOnly), r.By, r.Revision-1, r.Reason, strings.Join(r.Changes, "; ")))
	}
	if s.view.Replaces != "" {
		s.line("Replaces", "the run "+s.view.Replaces+", whose certificate counts no more")
	}
	if t := s.view.TakenIn; t != nil {
		s.Ln(1)
		s.font("B", 10, brass)
		s.MultiCell(width, 5,
			fmt.Sprintf("◇ Made elsewhere (%s) and taken in here by %s on %s, from the file %s …; it says nothing of how the device stands now.",
				t.Origin, t.By, t.At.Format(time.DateOnly), short(t.File)), "", "L", false)
	}
	if issue.Void != "" {
		s.Ln(1)
		s.font("B", 11, vermilion)
		s.MultiCell(width, 5.2, "◆ This certificate counts no more. "+issue.Void, "", "L", false)
	}
	if len(issue.Doubts) > 0 {
		s.Ln(1)
		s.font("B", 10, vermilion)
		s.MultiCell(width, 5, "◇ In doubt since it was signed. "+strings.Join(issue.Doubts, " "), "", "L", false)
	}
}

func (s *sheet) statement() {
	v := s.view
	s.Ln(2)
	c := vermilion
	switch {
	case v.Result.Passed():
		c = petrol
	case v.Result == run.NotComplete:
		c = brass
	}
	y := s.GetY()
	s.SetX(margin + 5)
	s.font("B", 13, c)
	words := map[run.Result]string{
		run.Conforms:         "Conforms",
		run.ConformsSetUp:    "Conforms, after a cause outside the device was removed",
		run.ConformsAdjusted: "Conforms after adjustment",
		run.Maintained:       "Done. Nothing was measured: no statement of conformity",
		run.Fails:            "Does not conform: not to be used",
		run.NotComplete:      "Not complete: no statement of conformity",
	}[v.Result]
	if v.Procedure.Test != "" {
		words = strings.ToUpper(v.Procedure.Test[:1]) + v.Procedure.Test[1:] + ": " + strings.ToLower(words[:1]) + words[1:]
	}
	s.CellFormat(width-5, 6.5, words, "", 1, "L", false, 0, "")
	if len(v.Limited) > 0 && v.Result.Passed() {
		s.SetX(margin + 5)
		s.font("B", 9.5, c)
		s.MultiCell(width-5, 4.8, "Stated only for "+strings.Join(v.Limited, "; ")+".", "", "L", false)
	}
	s.SetX(margin + 5)
	s.font("", 8.5, ink)
	s.MultiCell(width-5, 4.4, v.Signature.Statement, "", "L", false)
	s.SetX(margin + 5)
	if !v.Procedure.Maintains {
		s.MultiCell(width-5, 4.4, v.AsFound(), "", "L", false)
	}
	if v.Next != nil {
		s.SetX(margin + 5)
		s.MultiCell(width-5, 4.4, fmt.Sprintf("Next due %s (%s).", v.Next.On.Format(time.DateOnly), v.Next.Reason), "",
			"L", false)
	}
	if v.Status == run.InReview {
		s.SetX(margin + 5)
		s.font("B", 8.5, vermilion)
		s.CellFormat(width-5, 4.4, "Not countersigned yet: this is a draft.", "", 1, "L", false, 0, "")
	}
	s.draw(c, 0.1)
	s.Rect(margin, y, 1.2, s.GetY()-y, "F")
}
