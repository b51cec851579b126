package workshop

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"

	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/internal/ledger"
	"northneedle/internal/mail"
)

// Post sends mail: by a mail server, or a stand-in of one.
type Post interface {
	// Send returns when the mail was taken. The error is [mail.ErrRefused] where it is of no use to try again.
	Send(ctx context.Context, m mail.Message) error
}

// MailRules are when what is due is sent, and how often a mail is tried.
type MailRules struct {
	Weekday int    `json:"weekday" minimum:"1" maximum:"7" doc:"1 Monday to 7 Sunday: when what is due is sent"`
	At      string `json:"at" pattern:"^([01][0-9]|2[0-3]):[0-5][0-9]$" doc:"time of that day, as 07:00"`
	Ahead   int    `json:"ahead" minimum:"1" maximum:"91" doc:"days within which something is told as due"`
	Retries []int  `json:"retries" minItems:"1" maxItems:"20" doc:"minutes after which a mail that was not taken is tried again, one after another; then it is given up"`
}

// DefaultMailRules are what a workshop begins with.
func DefaultMailRules() MailRules {
	return MailRules{Weekday: 1, At: "07:00", Ahead: 14, Retries: []int{1, 5, 15, 60, 240, 720}}
}

const mailSetting = "mail"

func (ws *Workshop) mailRules() (MailRules, error) {
	rules := DefaultMailRules()
	err := ws.Ledger.Setting(mailSetting, &rules)
	return rules, err
}

// SetMailRules sets when what is due is sent.
func (ws *Workshop) SetMailRules(rules MailRules, who person.Person) error {
	if _, err := time.Parse("15:04", rules.At); err != nil {
		return invalid("at", "Write the time as 07:00.")
	}
	if slices.ContainsFunc(rules.Retries, func(minutes int) bool { return minutes < 1 || minutes > 7*24*60 }) {
		return invalid("retries", "A mail is tried again after one minute at least, and one week at most.")
	}
	return ws.Ledger.SetSetting(ws.act("", "when mail is sent", who, ""), mailSetting, rules)
}

// letter is a letter to a contact, as it goes into the outbox.
func (ws *Workshop) letter(kind ledger.LetterKind, id string, to ledger.Contact, about, by string) ledger.Letter {
	now := ws.Clock()
	return ledger.Letter{ID: id, Kind: kind, ContactID: to.ID, Name: to.Name, Mail: to.Mail, About: about, At: now,
		By: by, Next: &now}
}

// noMail is the refusal where no mail server is set.
func noMail() error {
	return &run.Refusal{Kind: run.Conflict, Code: "no-mail",
		Message: "No mail is sent from here: whoever runs this server sets a mail server first (--mail)."}
}

// queue puts a letter into the outbox, and has it sent.
func (ws *Workshop) queue(act string, l ledger.Letter, who person.Person) error {
	if err := ws.Ledger.Record(ws.act(act, "mail queued", who, l.Subject), &l); err != nil {
		return err
	}
	select {
	case ws.queued <- struct{}{}:
	default: // it is looked into already
	}
	return nil
}

// MailLink sends a contact the link to their page.
func (ws *Workshop) MailLink(id string, who person.Person) error {
	c, err := ws.Ledger.Contact(id)
	if err != nil {
		return err
	}
	link, err := ws.mailedLink(c)
	switch {
	case err != nil:
		return err
	case ws.Post == nil:
		return noMail()
	case c.Mail == "":
		return invalid("mail", c.Name+" has no address.")
	case link == "":
		return invalid("link", "There is no link yet: make one, and say at which address others reach this server.")
	}
	lab, err := ws.Lab()
	if err != nil {
		return err
	}
	now := ws.Clock()
	l := ws.letter(ledger.LinkLetter, fmt.Sprintf("link-%s-%d-%d", c.ID, c.Link, now.Unix()), c, "contact/"+c.ID, who.Name)
	l.Subject = lab.Name + ": may I use it? A page for " + c.Name
	l.Text = "This page shows how your devices stand, takes what is wrong with one, and takes your answers:\n\n" + ledger.PageMark +
		"\n\nWhoever has the link can do so in your name. Keep it within " + c.Name + ".\n\n" + lab.Name + "\n"
	return ws.queue("", l, who)
}

// tellReviewers queues a mail to those who can review a run that was just signed, the one that was asked for alone
// where one was.
func (ws *Workshop) tellReviewers(ctx context.Context, r run.Run, reviewer string, who person.Person) error {
	if ws.Post == nil {
		return nil
	}
	everyone, err := ws.Ledger.People()
	if err != nil {
		return err
	}
	address := ""
	if err := ws.Ledger.Setting(publicAddress, &address); err != nil {
		return err
	}
	now := ws.Clock()
	for _, p := range everyone {
		if p.Mail == "" || !p.Active || p.ID == who.ID || !person.Can(p.Role,
			person.Review) || reviewer != "" && p.ID != reviewer {
			continue
		}
		l := ledger.Letter{ID: fmt.Sprintf("review-%s-%d-%s", r.ID, r.Seq, p.ID), Kind: ledger.ReviewLetter, Name: p.Name,
			Mail: p.Mail, About: "run/" + r.ID, At: now, By: who.Name, Next: &now,
			Subject: "To review: " + r.Device.Tag + ", " + r.Procedure.Title,
			Text: fmt.Sprintf("%s signed %s on %s (%s %s), %s.\nIt waits for a review. Until then the device stands as the run leaves it.\n",
				who.Name, r.Procedure.Title, r.Device.Tag, r.Device.Maker, r.Device.Model, r.Device.Place)}
		if address != "" {
			l.Text += "\n" + address + "/bench/" + r.ID + "\n"
		}
		if err := ws.queue(l.ID, l, who); err != nil {
			return err
		}
	}
	return nil
}

// KeepPosting sends what is in the outbox, and what is due once a week, until the context ends.
func (ws *Workshop) KeepPosting(ctx context.Context) {
	if ws.Post == nil {
		return
	}
	for {
		if err := ws.SendLetters(ctx); err != nil && ctx.Err() == nil {
			slog.Error("mail", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-ws.queued:
		case <-time.After(postEach):
		}
	}
}

// postEach is how often the outbox is looked into.
const postEach = 20 * time.Second

// SendLetters queues what is due once a week, and tries every letter whose time has come. A letter that is sent and whose
// sending cannot be recorded is sent again, under the same Message-ID.
func (ws *Workshop) SendLetters(ctx context.Context) error {
	if ws.Post == nil {
		return noMail()
	}
	ws.posting.Lock()
	defer ws.posting.Unlock()
	return ws.sendLetters(ctx)
}

// sendLetters is [Workshop.SendLetters] for whoever goes through the outbox alone.
func (ws *Workshop) sendLetters(ctx context.Context) error {
	digests := ws.queueDigests(ctx)
	letters, err := ws.Ledger.LettersToSend(ws.Clock())
	if err != nil {
		return errors.Join(digests, err)
	}
	rules, err := ws.mailRules()
	if err != nil {
		return errors.Join(digests, err)
	}
	for _, l := range letters {
		if err := ws.send(ctx, l, rules); err != nil {
			return errors.Join(digests, err)
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
	}
	if len(letters) > 0 {
		ws.changes.tell("", 0)
	}
	return digests
}

// send tries one letter, and records what came of it.
func (ws *Workshop) send(ctx context.Context, l ledger.Letter, rules MailRules) error {
	text := l.Text
	if l.ContactID != "" {
		c, err := ws.Ledger.Contact(l.ContactID)
		if errors.Is(err, ledger.ErrNotFound) { // told no more since it was queued
			now := ws.Clock()
			l.Next, l.Ended, l.Trouble = nil, &now, l.Name+" is told no more."
			return ws.Ledger.Record(ws.act("", "mail not sent", ledger.Nobody, l.Trouble), &l)
		}
		if err != nil {
			return err
		}
		link, err := ws.mailedLink(c)
		if err != nil {
			return err
		}
		text = strings.ReplaceAll(text, ledger.PageMark, link)
	}
	failed := ws.Post.Send(ctx, mail.Message{ID: l.ID, To: l.Mail, Subject: l.Subject, Text: text, At: l.At})
	if ctx.Err() != nil {
		return ctx.Err() // the program ends: it is tried again
	}
	now := ws.Clock()
	l.Tries++
	records := []any{&l}
	kind := "mail sent"
	switch {
	case failed == nil:
		l.Sent, l.Next, l.Trouble = &now, nil, ""
		told, err := ws.toldBy(l, now)
		if err != nil {
			return err
		}
		records = append(records, told...)
	case errors.Is(failed, mail.ErrRefused) || l.Tries > len(rules.Retries):
		l.Ended, l.Next, l.Trouble, kind = &now, nil, Sentence(failed), "mail not sent"
	default:
		next := now.Add(time.Duration(rules.Retries[l.Tries-1]) * time.Minute)
		l.Next, l.Trouble, kind = &next, Sentence(failed), "mail to be tried again"
	}
	return ws.Ledger.Record(ws.act("", kind, ledger.Nobody, l.Subject+", to "+l.Mail), records...)
}

// aboutNotice begins what a letter is about that tells a notice.
const aboutNotice = "notice/"

// toldBy is the notice that a letter told, as told then.
func (ws *Workshop) toldBy(l ledger.Letter, at time.Time) ([]any, error) {
	id, is := strings.CutPrefix(l.About, aboutNotice)
	if !is {
		return nil, nil
	}
	n, err := ws.Ledger.Notice(id)
	if err != nil || n.SentAt != nil {
		return nil, err
	}
	n.Text, n.SentAt, n.SentBy = l.Text, &at, l.By+", by mail to "+l.Mail
	return []any{&n}, nil
}

// TryAgain has a letter tried now that waits, or that was given up.
func (ws *Workshop) TryAgain(ctx context.Context, id string, who person.Person) error {
	if ws.Post == nil {
		return noMail()
	}
	ws.posting.Lock() // it may be under way just now
	defer ws.posting.Unlock()
	l, err := ws.Ledger.Letter(id)
	if err != nil {
		return err
	}
	if l.Sent != nil {
		return &run.Refusal{Kind: run.Conflict, Code: "sent", Message: "This mail was sent already."}
	}
	now := ws.Clock()
	l.Next, l.Ended, l.Tries = &now, nil, 0
	if err := ws.Ledger.Record(ws.act("", "mail queued", who, l.Subject), &l); err != nil {
		return err
	}
	return ws.sendLetters(ctx)
}

// mailNotice queues a notice of a look-back for a contact. It counts as told when the mail was taken.
func (ws *Workshop) mailNotice(b ledger.CountedLookBack, n ledger.Notice, o NoticeOrder, who person.Person) error {
	if ws.Post == nil {
		return noMail()
	}
	if n.SentAt != nil {
		return &run.Refusal{Kind: run.Conflict, Code: "sent", Message: "The owner was told already."}
	}
	waiting, err := ws.lettersTelling([]ledger.Notice{n})
	if err != nil {
		return err
	}
	if l := waiting[n.ID]; l != nil && l.Next != nil {
		return &run.Refusal{Kind: run.Conflict, Code: "on-its-way", Message: "A mail to " + l.Mail + " is on its way already."}
	}
	c, err := ws.Ledger.Contact(o.To)
	if errors.Is(err, ledger.ErrNotFound) || err == nil && c.Mail == "" {
		return invalid("to", "Say whom it is sent to: somebody with an address, as House, Who is told, has them.")
	}
	if err != nil {
		return err
	}
	link, err := ws.mailedLink(c)
	if err != nil {
		return err
	}
	l := ws.letter(ledger.NoticeLetter, fmt.Sprintf("%s-mail-%d", n.ID, ws.Clock().UnixMilli()), c, aboutNotice+n.ID, who.Name)
	l.Subject, l.Text = b.Title, o.Text
	if link != "" {
		l.Text += "\n\nAnswer here: " + ledger.PageMark + "\n"
	}
	return ws.queue(l.ID, l, who)
}

// lettersTelling are the latest letters that tell notices, by the ids of these.
func (ws *Workshop) lettersTelling(notices []ledger.Notice) (map[string]*LetterView, error) {
	about := make([]string, len(notices))
	for i, n := range notices {
		about[i] = aboutNotice + n.ID
	}
	all, err := ws.Ledger.LettersAbout(about...)
	latest := map[string]*LetterView{}
	for _, l := range all {
		if id := strings.TrimPrefix(l.About, aboutNotice); latest[id] == nil {
			v := letterView(l)
			latest[id] = &v
		}
	}
	return latest, err
}
