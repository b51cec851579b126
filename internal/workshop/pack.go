package workshop

import (
	"archive/zip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"iter"
	"os"
	"slices"
	"strings"
	"time"

	"northneedle/core/person"
	"northneedle/core/report"
	"northneedle/internal/definition"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"
	"northneedle/internal/paper"
)

// PackQuery says what an inspector's pack is of: whole days, the last one included, a site, and the clause of a standard that
// the inspector goes by. What is empty takes all; without a last day, it is until today.
type PackQuery struct {
	From   Day    `query:"from" format:"date" required:"true"`
	Until  Day    `query:"until" format:"date"`
	Site   string `query:"site" maxLength:"80"`
	Clause string `query:"clause" maxLength:"60" doc:"a standard and its clause, as the list of them says it"`
}

// mostCertificates is how many certificates a pack has at most.
const mostCertificates = 5000

// Clauses are what inspectors ask to see, by the clauses that they go by.
func (ws *Workshop) Clauses() ([]report.Clause, error) { return definition.Clauses() }

// Pack begins to put together what an inspector asks to see, as one ZIP with an index.
func (ws *Workshop) Pack(q PackQuery, who person.Person) (JobView, error) {
	clauses, err := definition.Clauses()
	if err != nil {
		return JobView{}, err
	}
	parts, known := report.PartsFor(q.Clause, clauses)
	if !known {
		return JobView{}, invalid("clause", "There is no such clause in the list: choose one, or none for everything.")
	}
	p := pack{ws: ws, parts: parts, clause: q.Clause}
	p.Site = q.Site
	if p.From, p.Until, err = ws.span(ReportQuery{From: string(q.From), Until: string(q.Until)}); err != nil {
		return JobView{}, err
	}
	if p.runs, err = ws.Ledger.SignedIn(p.Span); err != nil {
		return JobView{}, err
	}
	if len(p.runs) > mostCertificates && slices.Contains(parts, report.Certificates) {
		return JobView{}, invalid("from",
			fmt.Sprintf("These are %d certificates: ask for %d at most, by a shorter time or a site.",
				len(p.runs), mostCertificates))
	}
	what := "an inspector's pack of " + p.title()
	if err := ws.HandedOut(what, who); err != nil {
		return JobView{}, err
	}
	return ws.jobs.begin("pack", max(1, len(p.runs)), who, func(ctx context.Context, told func(int)) (File, error) {
		f, err := os.CreateTemp("", "northneedle-pack-*.zip")
		if err != nil {
			return File{}, err
		}
		p.ctx, p.told = ctx, told
		if err := p.write(f); err != nil {
			return File{}, errors.Join(err, f.Close(), os.Remove(f.Name()))
		}
		return File{Name: "pack-" + p.From.Format(time.DateOnly) + "-to-" + p.last() + ".zip",
			Type: "application/zip", Save: true, From: f}, nil
	})
}

// pack is a pack that is being put together.
type pack struct {
	ledger.Span
	ws     *Workshop
	ctx    context.Context
	told   func(done int)
	parts  []report.Part
	clause string
	runs   []ledger.Run // that were signed in its time
	zip    *zip.Writer
	files  []packed
}

// packed is a file of a pack.
type packed struct {
	part       report.Part
	name, what string
	hash       string // SHA-256
	rows       int    // of a list
}

func (p *pack) last() string { return p.Until.AddDate(0, 0, -1).Format(time.DateOnly) }

func (p *pack) title() string {
	title := p.From.Format(time.DateOnly) + " to " + p.last()
	if p.Site != "" {
		title += ", " + p.Site
	}
	if p.clause != "" {
		title += ", for " + p.clause
	}
	return title
}

func (p *pack) write(to io.Writer) error {
	p.zip = zip.NewWriter(to)
	for _, part := range p.parts {
		write := map[report.Part]func() error{report.Register: p.register, report.Certificates: p.certificates,
			report.References: p.references, report.Competences: p.competences, report.LookBacks: p.lookBacks,
			report.Controls: p.controls, report.Procedures: p.procedures, report.Log: p.log, report.Checkpoints: p.checkpoints}[part]
		if err := errors.Join(p.ctx.Err(), write()); err != nil {
			return err
		}
	}
	return errors.Join(p.index(), p.zip.Close())
}

// add puts a file into the pack, and keeps its hash for the index.
func (p *pack) add(part report.Part, name, what string, body []byte) error {
	into, err := p.zip.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: p.ws.Clock()})
	if err != nil {
		return err
	}
	sum := sha256.Sum256(body)
	p.files = append(p.files, packed{part: part, name: name, what: what, hash: hex.EncodeToString(sum[:])})
	_, err = into.Write(body)
	return err
}

// list puts a table into the pack.
func (p *pack) list(part report.Part, name, what string, columns []string, rows iter.Seq2[[]any, error]) error {
	counted := 0
	body, err := exchange.Table{Name: name, Columns: columns, Rows: func(yield func([]any, error) bool) {
		for row, err := range rows {
			if counted++; !yield(row, err) {
				return
			}
		}
	}}.CSV()
	if err != nil {
		return err
	}
	if err := p.add(part, name, what, body); err != nil {
		return err
	}
	p.files[len(p.files)-1].rows = counted
	return nil
}

// listedRows are rows that are at hand.
func listedRows[T any](all []T, row func(T) []any) iter.Seq2[[]any, error] {
	return func(yield func([]any, error) bool) {
		for _, one := range all {
			if !yield(row(one), nil) {
				return
			}
		}
	}
}

// partWords are what the parts are, in the index.
var partWords = map[report.Part]string{report.Register: "The register", report.Certificates: "Certificates of runs",
	report.References: "References", report.Competences: "Competence", report.LookBacks: "Look-backs", report.Controls: "Controls",
	report.Procedures: "Procedures", report.Log: "The log", report.Checkpoints: "The record"}

// index says what is in the pack, each file with its hash, and what is not.
func (p *pack) index() error {
	d := paper.Document{Title: "What was asked for", Under: p.title(), Sections: []paper.Section{{Title: "What this is",
		Text: "Everything that stands in the record of that time" + p.asked() + ". Each file stands below with the beginning of its SHA-256; " +
			"the file sha256.txt has them whole. A certificate is the latest revision; it proves itself by what is signed in it."}}}
	for _, part := range p.parts {
		s := paper.Section{Title: partWords[part], Empty: "There is none of that time.",
			Columns: []paper.Column{{Title: "File", Wide: 5}, {Title: "What it is", Wide: 6}, {Title: "Rows", Wide: 1,
				Right: true}, {Title: "SHA-256", Wide: 2}}}
		for _, f := range p.files {
			if f.part != part {
				continue
			}
			rows := ""
			if strings.HasSuffix(f.name, ".csv") {
				rows = fmt.Sprint(f.rows)
			}
			s.Rows = append(s.Rows, []string{f.name, f.what, rows, f.hash[:10]})
		}
		d.Sections = append(d.Sections, s)
	}
	if left := p.left(); left != "" {
		d.Sections = append(d.Sections, paper.Section{Title: "What is not in it", Text: left})
	}
	var sums strings.Builder
	for _, f := range p.files {
		fmt.Fprintf(&sums, "%s  %s\n", f.hash, f.name)
	}
	index, err := p.ws.onPaper(d, "index")
	if err != nil {
		return err
	}
	return errors.Join(p.add("", "sha256.txt", "", []byte(sums.String())), p.add("", "index.pdf", "", index.Body))
}

// asked says for which clause it is.
func (p *pack) asked() string {
	if p.clause == "" {
		return ""
	}
	return ", as far as " + p.clause + " asks for it"
}

// left are the parts that were not asked for.
func (p *pack) left() string {
	var names []string
	for _, part := range report.Parts {
		if !slices.Contains(p.parts, part) {
			names = append(names, partWords[part])
		}
	}
	if len(names) == 0 {
		return ""
	}
	return "Not asked for: " + strings.Join(names, ", ") + "."
}
