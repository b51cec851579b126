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
	"path/filepath"
	"slices"
	"strings"
	"time"

	"northneedle/core/person"
	"northneedle/core/report"
	"northneedle/core/run"
	"northneedle/internal/definition"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"
	"northneedle/internal/paper"
	"northneedle/internal/seal"
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

func (p *pack) register() error {
	table, err := p.ws.list(p.ctx, "equipment", AssetQuery{Site: p.Site})
	if err != nil {
		return err
	}
	return p.list(report.Register, "register.csv", "The devices as they stand today", table.Columns, table.Rows)
}

func (p *pack) certificates() error {
	for i, r := range p.runs {
		if err := p.ctx.Err(); err != nil {
			return err
		}
		p.told(i)
		f, err := p.ws.CertificateFile(r.ID, 0)
		if err != nil {
			return fmt.Errorf("the certificate of %s: %w", r.ID, err)
		}
		what := fmt.Sprintf("%s, %s: %s", r.Tag, r.Title, r.Result)
		if r.ReplacedBy != "" {
			what += "; replaced, it counts no more"
		}
		if r.Status != run.Signed {
			what += "; not countersigned yet"
		}
		if err := p.add(report.Certificates, "certificates/"+safeName(f.Name), what, f.Body); err != nil {
			return err
		}
	}
	p.told(len(p.runs))
	return nil
}

// safeName is a name that stands in a folder, wherever it is unpacked.
func safeName(name string) string {
	return strings.Map(func(r rune) rune {
		if strings.ContainsRune(`/\:*?"<>|`, r) || r < ' ' {
			return '-'
		}
		return r
	}, name)
}

// references are those that were used, with all their certificates, and the papers that are kept of them.
func (p *pack) references() error {
	ids := make([]string, len(p.runs))
	for i, r := range p.runs {
		ids[i] = r.ID
	}
	used, err := p.ws.Ledger.UsedIn(ids)
	if err != nil {
		return err
	}
	tags := map[string]string{}
	every, err := p.ws.Ledger.Standards("")
	if err != nil {
		return err
	}
	for _, s := range every {
		tags[s.ID] = s.Tag
	}
	rows := func(yield func([]any, error) bool) {
		for _, s := range used {
			certificates, err := p.ws.Ledger.Certificates(s.ID)
			for _, row := range exchange.ReferenceRows(s, certificates, func(id string) string { return tags[id] }) {
				if !yield(row, err) {
					return
				}
			}
		}
	}
	if err := p.list(report.References, "references.csv",
		"The references that were used, with every value of their certificates",
		exchange.ReferenceColumns, rows); err != nil {
		return err
	}
	for _, s := range used {
		kept, err := p.ws.Ledger.Attachments("standards/" + s.ID)
		if err != nil {
			return err
		}
		for i, f := range kept {
			body, err := p.ws.Ledger.Content(f.Hash)
			if err != nil {
				return err
			}
			name := fmt.Sprintf("references/%s/%d-%s", safeName(s.Tag), i+1, safeName(filepath.Base(f.Name)))
			if err := p.add(report.References, name, strings.TrimSpace(s.Tag+" "+f.Note), body); err != nil {
				return err
			}
		}
	}
	return nil
}

func (p *pack) competences() error {
	all, err := p.ws.Competences()
	if err != nil {
		return err
	}
	return p.list(report.Competences, "competence.csv", "Who may do which family alone, on what ground, and since when",
		[]string{"name", "family", "ground", "rests_on", "put_on_record_by", "on", "until", "holds_today"},
		listedRows(all, func(c CompetenceView) []any {
			return []any{c.Name, c.Family, string(c.Ground), c.Note, c.By, c.At, dated(c.Until), yesNo(c.Holds)}
		}))
}

func yesNo(yes bool) string {
	if yes {
		return "yes"
	}
	return "no"
}

// lookBacks are those that were open in the time, with whom they told and what was answered.
func (p *pack) lookBacks() error {
	all, err := p.ws.Ledger.LookBacksIn(p.Span)
	if err != nil {
		return err
	}
	rows := func(yield func([]any, error) bool) {
		for _, b := range all {
			notices, err := p.ws.Ledger.Notices(b.ID)
			told := append([]ledger.Notice{}, notices...)
			if len(told) == 0 {
				told = append(told, ledger.Notice{})
			}
			for _, n := range told {
				if !yield([]any{b.Title, b.Found, b.OpenedAt, b.OpenedBy, dated(b.From), b.Until, n.To,
					dated(n.SentAt), n.Answer,
					dated(n.AnsweredAt), dated(b.ClosedAt), b.ClosedBy, b.Conclusion}, err) {
					return
				}
			}
		}
	}
	return p.list(report.LookBacks, "look-backs.csv",
		"What was looked back on, of every site, with whom it told and what was answered",
		[]string{"title", "found", "opened", "by", "from", "until", "told", "sent", "answer", "answered", "closed",
			"closed_by", "conclusion"}, rows)
}

func (p *pack) controls() error {
	rows := func(yield func([]any, error) bool) {
		for c, err := range p.ws.Ledger.ControlledIn(p.Span) {
			if !yield([]any{c.Tag, c.Analyte, c.Level, c.Lot, c.At, c.Value, c.Unit, c.Mean, c.SD, c.By, c.Note,
				c.Action}, err) {
				return
			}
		}
	}
	return p.list(report.Controls, "controls.csv", "The controls that were measured",
		[]string{"tag", "analyte", "level", "lot", "on", "value", "unit", "mean", "sd", "by", "note",
			"corrective_action"}, rows)
}

// procedures are the revisions that the runs were made by, each as it was kept.
func (p *pack) procedures() error {
	hashes := map[string]bool{}
	for _, r := range p.runs {
		hashes[r.Hash] = true
	}
	var all []string
	for h := range hashes {
		all = append(all, h)
	}
	slices.Sort(all)
	revisions, err := p.ws.Ledger.Revisions(all)
	for _, r := range revisions {
		name := fmt.Sprintf("procedures/%s-revision-%d-%.8s.yaml", r.Procedure, r.Revision, r.Hash)
		err = errors.Join(err, p.add(report.Procedures, name, fmt.Sprintf("%s, revision %d", r.Procedure, r.Revision),
			[]byte(r.Text)))
	}
	return err
}

func (p *pack) log() error {
	rows := func(yield func([]any, error) bool) {
		for e, err := range p.ws.Ledger.EventsIn(p.Span) {
			if !yield([]any{e.Ord, e.Stream, e.Seq, e.Kind, e.At, e.By, e.Hash, e.Log, e.Prev}, err) {
				return
			}
		}
	}
	return p.list(report.Log, "log.csv", "Every event of the time, of every site, with its place in the chains",
		[]string{"place", "stream", "seq", "kind", "at", "by", "hash", "log", "before"}, rows)
}

// checkpoints are what the workshop signed of how its record stood, its public keys, and how the record stands today.
func (p *pack) checkpoints() error {
	var folders []string
	if p.ws.Seal != nil {
		folders = p.ws.Seal.Folders()
		text, err := os.ReadFile(filepath.Join(folders[0], seal.CheckpointFile))
		if err != nil {
			return err
		}
		if err := p.add(report.Checkpoints, seal.CheckpointFile, "What the workshop signed of how its record stood",
			text); err != nil {
			return err
		}
		keys, err := p.ws.PublicKeysFile()
		if err != nil {
			return err
		}
		if err := p.add(report.Checkpoints, "public-keys.json", "What papers and checkpoints are checked by",
			keys.Body); err != nil {
			return err
		}
	}
	held, err := Hold(p.ws.Ledger, folders...)
	words := fmt.Sprintf("The record holds: %d events, %d checkpoints, checked on %s.\n", held.Events,
		held.Checkpoints, p.ws.Clock().Format("2006-01-02 15:04"))
	if err != nil {
		words = fmt.Sprintf("The record does not hold: %s. Checked on %s.\n", err, p.ws.Clock().Format("2006-01-02 15:04"))
	}
	return p.add(report.Checkpoints, "record-check.txt", "How the record stands today", []byte(words))
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
