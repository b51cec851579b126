package workshop

import (
	"os"
	"time"

	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/exchange"
	"northneedle/internal/paper"
)

// File is a file that is handed out: shown, or saved under its name.
type File struct {
	Name string
	Type string // media type
	Save bool
	Body []byte
	From *os.File // in place of Body, where it is too large for the memory: read from here, and closed
}

// CertificateFile writes a revision of a run's certificate; 0 is the latest.
func (ws *Workshop) CertificateFile(id string, revision int) (f File, err error) {
	r, err := ws.Ledger.Run(id)
	if err != nil {
		return f, err
	}
	if r.Signature == nil {
		return f, &run.Refusal{Kind: run.Conflict, Code: "not-signed",
			Message: "The run is not signed yet: there is no certificate of it."}
	}
	if revision == 0 {
		revision = len(r.Revisions) + 1
	}
	void, err := ws.counts(r, revision)
	if err != nil {
		return f, err
	}
	seq, err := r.Issued(revision)
	if err != nil {
		return f, err
	}
	then, head, err := ws.Ledger.RunAt(id, seq)
	if err != nil {
		return f, err
	}
	at := ws.Clock()
	if then.Signature != nil {
		at = then.Signature.At // the paper is of that moment, whenever it is printed
	}
	view := runview.Of(then, at)
	issue := paper.Issue{Head: head, Void: void}
	if err := ws.prove(&issue, id, seq); err != nil {
		return f, err
	}
	if issue.Doubts, err = ws.Ledger.DoubtsOf(id); err != nil {
		return f, err
	}
	if hash := then.Lab.Letterhead.Logo; hash != "" {
		logo, err := ws.Logo(hash)
		if err != nil {
			return f, err
		}
		issue.Logo = logo.Body
	}
	pdf, err := paper.Certificate(view, issue)
	return File{Name: paper.Number(view) + ".pdf", Type: "application/pdf", Body: pdf}, err
}

// prove adds to a certificate what it is checked by: the signature of the workshop's key, the first checkpoint that
// holds the run's event, and a code that leads to the run.
func (ws *Workshop) prove(issue *paper.Issue, id string, seq int) error {
	if ws.Seal == nil {
		return nil
	}
	issue.Sign = ws.Seal.Sign
	issue.Link = "run " + id
	address := ""
	if err := ws.Ledger.Setting(publicAddress, &address); err != nil {
		return err
	}
	if address != "" {
		issue.Link = address + "/bench/" + id
	}
	ord, err := ws.Ledger.OrdOf(id, seq)
	if err != nil {
		return err
	}
	if c, ok := ws.Seal.At(ord); ok {
		issue.Checkpoint = &paper.Point{N: c.N, Event: c.Event, Head: c.Head, At: c.At.In(time.Local)}
	}
	return nil
}

// RecordFile is a whole run with its chain of events.
func (ws *Workshop) RecordFile(id string) (f File, err error) {
	run, err := ws.Ledger.Run(id)
	if err != nil {
		return f, err
	}
	rows, err := ws.Ledger.Rows(id)
	if err != nil {
		return f, err
	}
	sign := func(any) (string, error) { return "", nil }
	if ws.Seal != nil {
		sign = ws.Seal.Sign
	}
	text, err := exchange.RunJSON(run, rows, ws.Clock(), sign)
	return File{Name: run.Device.Tag + "-" + id + ".json", Type: "application/json", Body: text}, err
}

// PointsFile is a run's points.
func (ws *Workshop) PointsFile(id string) (f File, err error) {
	run, err := ws.Ledger.Run(id)
	if err != nil {
		return f, err
	}
	text, err := exchange.PointsCSV(runview.Of(run, ws.Clock()))
	return File{Name: run.Device.Tag + "-" + id + ".csv", Type: "text/csv; charset=utf-8", Body: text}, err
}
