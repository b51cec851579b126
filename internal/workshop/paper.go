package workshop

import (
	"fmt"

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
	row, err := ws.Ledger.RunRow(id)
	if err != nil {
		return f, err
	}
	void := ""
	latest := len(r.Revisions) + 1
	if revision == 0 {
		revision = latest
	}
	if row.ReplacedBy != "" {
		void = "It is replaced by the run " + row.ReplacedBy + "."
	} else if revision < latest {
		void = fmt.Sprintf("It is superseded by revision %d of %s.", latest,
			r.Revisions[latest-2].At.Format("2006-01-02"))
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
	text, err := exchange.RunJSON(run, rows, ws.Clock())
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
