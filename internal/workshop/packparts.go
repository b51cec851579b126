package workshop

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"northneedle/core/report"
	"northneedle/core/run"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"
	"northneedle/internal/seal"
)

// register is the devices as they stand today.
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
			return []any{c.Name, c.Family, string(c.Ground), c.Note, c.By, c.At, exchange.Day(c.Until), yesNo(c.Holds)}
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
				if !yield([]any{b.Title, b.Found, b.OpenedAt, b.OpenedBy, moment(b.From), b.Until, n.To,
					moment(n.SentAt), n.Answer,
					moment(n.AnsweredAt), moment(b.ClosedAt), b.ClosedBy, b.Conclusion}, err) {
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

// moment is a moment as a cell of a list; none is an empty one.
func moment(at *time.Time) any {
	if at == nil {
		return ""
	}
	return *at
}
