package workshop

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"northneedle/core/device"
	"northneedle/internal/ledger"
)

// digestTime is the last moment, up to now, at which what is due is sent.
func (r MailRules) digestTime(now time.Time) time.Time {
	at, _ := time.Parse("15:04", r.At) // looked at when it was set
	back := (int(now.Weekday()+6)%7 + 1 - r.Weekday + 7) % 7
	last := time.Date(now.Year(), now.Month(), now.Day()-back, at.Hour(), at.Minute(), 0, 0, now.Location())
	if last.After(now) {
		last = time.Date(last.Year(), last.Month(), last.Day()-7, at.Hour(), at.Minute(), 0, 0, now.Location())
	}
	return last
}

// queueDigests queues what is due for everyone who gets it and has not got it for this week. Weeks that the server did not run
// are not made up for.
func (ws *Workshop) queueDigests(ctx context.Context) error {
	rules, err := ws.mailRules()
	if err != nil {
		return err
	}
	contacts, err := ws.Ledger.Contacts()
	if err != nil {
		return err
	}
	now := ws.Clock()
	last := rules.digestTime(now)
	for _, c := range contacts {
		if !c.Digest || c.At.After(last) || c.Digested != nil && !c.Digested.Before(last) {
			continue
		}
		l := ws.letter(ledger.DigestLetter, "digest-"+c.ID+"-"+last.Format(time.DateOnly), c, "contact/"+c.ID,
			ledger.Nobody.Name)
		if l.Subject, l.Text, err = ws.digest(ctx, c, rules); err != nil {
			return err
		}
		if err := ws.queueDigest(c.ID, l, last); err != nil {
			return err
		}
	}
	return nil
}

// queueDigest queues a digest for a contact that may have been changed while it was written.
func (ws *Workshop) queueDigest(contact string, l ledger.Letter, of time.Time) error {
	ws.telling.Lock()
	defer ws.telling.Unlock()
	c, err := ws.Ledger.Contact(contact)
	if errors.Is(err, ledger.ErrNotFound) || err == nil && !c.Digest {
		return nil // they are told no more
	}
	if err != nil {
		return err
	}
	c.Digested, l.Name, l.Mail = &of, c.Name, c.Mail
	return ws.Ledger.Record(ws.act(l.ID, "mail queued", ledger.Nobody, l.Subject), &l, &c)
}

// told are the states that a digest names devices of.
var told = []device.State{device.NotToBeUsed, device.OutOfUse, device.InDoubt, device.NotEveryTest, device.NotYetAccepted,
	device.Overdue}

// linesOfState is how many devices of a state a digest names.
const linesOfState = 40

// digest is how a contact's devices stand, and what is due of them.
func (ws *Workshop) digest(ctx context.Context, c ledger.Contact, rules MailRules) (subject, text string, err error) {
	lab, err := ws.Lab()
	if err != nil {
		return "", "", err
	}
	_, devices, err := ws.found(ctx, their(c), 0, 0)
	if err != nil {
		return "", "", err
	}
	states, err := ws.states(idsOf(devices)...)
	if err != nil {
		return "", "", err
	}
	var b strings.Builder
	now := ws.Clock()
	fmt.Fprintf(&b, "How %d devices stand on %s: %s.\n", len(devices), now.Format(time.DateOnly), c.Name)
	stopped := 0
	for _, state := range told {
		var lines []string
		for _, a := range devices {
			if s := states[a.ID]; s.State == state {
				lines = append(lines, fmt.Sprintf("- %s, %s %s, %s, %s: %s", a.Tag, a.Maker, a.Model, a.Place, a.Site, s.Words))
				if s.Stop {
					stopped++
				}
			}
		}
		writeLines(&b, strings.ToUpper(string(state)[:1])+string(state)[1:], lines)
	}
	day := dayOf(now)
	due, err := ws.Ledger.DueBetween(ledger.DueFilter{Site: c.Site, Place: c.Place, Owner: c.Owner}, day,
		day.AddDate(0, 0, rules.Ahead), 10_000)
	if err != nil {
		return "", "", err
	}
	lines := make([]string, len(due))
	for i, d := range due {
		lines[i] = fmt.Sprintf("- %s  %s, %s %s, %s, %s: %s", d.DueOn.Format(time.DateOnly), d.Tag, d.Maker, d.Model, d.Place,
			d.Site, d.Title)
	}
	until := day.AddDate(0, 0, rules.Ahead).Format(time.DateOnly)
	writeLines(&b, "Due before "+until, lines)
	notices, err := ws.noticesTo(c)
	if err != nil {
		return "", "", err
	}
	lines = nil
	for _, n := range notices {
		if n.AnsweredAt == nil {
			lines = append(lines, fmt.Sprintf("- %s, told on %s", n.Tag, n.SentAt.Format(time.DateOnly)))
		}
	}
	writeLines(&b, "Waiting for your answer", lines)
	if link, err := ws.mailedLink(c); err != nil {
		return "", "", err
	} else if link != "" {
		b.WriteString("\nMay I use it? Report a fault, answer: " + ledger.PageMark + "\n")
	}
	b.WriteString("\n" + lab.Name + "\n")
	return fmt.Sprintf("%s: %d not to be used, %d due before %s", c.Name, stopped, len(due), until), b.String(), nil
}

// writeLines writes a heading with its lines, so many of them at most; nothing where there is none.
func writeLines(b *strings.Builder, title string, lines []string) {
	if len(lines) == 0 {
		return
	}
	fmt.Fprintf(b, "\n%s (%d)\n%s\n", title, len(lines), strings.Join(lines[:min(len(lines), linesOfState)], "\n"))
	if n := len(lines) - linesOfState; n > 0 {
		fmt.Fprintf(b, "  and %d more\n", n)
	}
}
