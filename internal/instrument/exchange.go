package instrument

import (
	"context"
	"fmt"
	"io"
	"maps"
	"northneedle/core/quantity"
	"regexp"
	"slices"
	"strings"
	"time"
)

// RefusedByInstrument says that the instrument refused a command, in its own words.
type RefusedByInstrument struct{ Reason string }

func (r *RefusedByInstrument) Error() string { return "it refuses: " + r.Reason }

// ask sends a question and waits for its answer; without a pattern it only sends.
func (l *Link) ask(ctx context.Context, q Question) (string, error) {
	return l.exchange(ctx, q, q.Match.Regexp != nil)
}

// exchange sends, and waits for an answer where there is one. It waits even when the context ends, so that a late
// answer is not taken for the answer to the next question. One that does not come ends the connection.
func (l *Link) exchange(ctx context.Context, q Question, answered bool) (string, error) {
	if l.profile.Forbids(q.Send) {
		return "", fmt.Errorf("%s: %q is never sent to it, as its profile says", l.name, q.Send)
	}
	l.query.Lock()
	defer l.query.Unlock()
	if err := ctx.Err(); err != nil {
		return "", err
	}
	p := &pending{sent: q.Send, match: q.Match, answer: make(chan string, 1), refuse: make(chan error, 1)}
	l.mutex.Lock()
	conn := l.conn
	if conn != nil {
		if answered {
			l.pending = p
		}
		l.console.add(true, q.Send)
	}
	l.mutex.Unlock()
	if conn == nil {
		return "", fmt.Errorf("%s is not connected", l.name)
	}
	if _, err := io.WriteString(conn, q.Send+l.profile.Line.end()); err != nil {
		return "", l.hangUp(conn, fmt.Errorf("it does not take what is sent: %w", err))
	}
	if !answered {
		return "", nil
	}
	within := q.Within.or(l.timing.Answer)
	select {
	case text := <-p.answer:
		return text, nil
	case err := <-p.refuse:
		return "", err
	case <-time.After(within):
	}
	l.mutex.Lock()
	l.pending = nil
	l.mutex.Unlock()
	return "", l.hangUp(conn, fmt.Errorf("it did not answer %q within %s", q.Send, within))
}

// hangUp ends the connection, and says why.
func (l *Link) hangUp(conn io.Closer, why error) error {
	l.mutex.Lock()
	if l.conn == conn && l.why == nil {
		l.why = why
	}
	l.mutex.Unlock()
	conn.Close()
	return why
}

// Ask sends a question that is answered by one line. Where the profile says how errors are asked for, and nothing
// comes back, the instrument is asked why.
func (l *Link) Ask(ctx context.Context, command string) (string, error) {
	return l.ask(ctx, Question{Send: command, Match: anything})
}

var anything = Pattern{Regexp: regexp.MustCompile(`.`)}

// Try sends a line as it is and gives what comes back. Where the profile says how errors are asked for, a line that
// asks nothing is followed by that question instead.
func (l *Link) Try(ctx context.Context, line string) (string, error) {
	if l.profile.Errors != nil && !strings.Contains(line, "?") {
		return "", l.Tell(ctx, line)
	}
	return l.Ask(ctx, line)
}

// Tell sends a command that has no answer, and asks for its error where the profile says how.
func (l *Link) Tell(ctx context.Context, command string) error {
	return l.tell(ctx, Question{Send: command})
}

// tell sends a command, and asks for the error where nothing acknowledges it.
func (l *Link) tell(ctx context.Context, q Question) error {
	if _, err := l.ask(ctx, q); err != nil || q.Match.Regexp != nil || l.profile.Errors == nil {
		return err
	}
	e := *l.profile.Errors
	none := e.Match
	e.Match = anything
	text, err := l.ask(ctx, e)
	if err != nil || none.MatchString(text) {
		return err
	}
	return &RefusedByInstrument{text}
}

// Act makes the instrument do something its profile knows: zero, tare.
func (l *Link) Act(ctx context.Context, name string) error {
	q, known := l.profile.Acts[name]
	if !known {
		return fmt.Errorf("the profile %s knows no act %q: %s", l.profile.ID, name,
			strings.Join(slices.Sorted(maps.Keys(l.profile.Acts)), ", "))
	}
	return l.tell(ctx, q)
}

// Set sets the instrument and reads back what it says then. begin is called when everything is set but what starts the
// measured thing itself; it may be nil. A setting that the profile does not know, or that is set by
// its menu only, is not sent, and is returned: it is for the hand.
func (l *Link) Set(ctx context.Context, settings map[string]string, begin func()) (byHand []string, err error) {
	var first, last []*Setting
	for _, name := range slices.Sorted(maps.Keys(settings)) {
		switch s := l.profile.Setting(name); {
		case s == nil || s.Send == "":
			byHand = append(byHand, name)
		case s.Simulated && !l.Status().Simulated():
		case s.Starts:
			last = append(last, s)
		default:
			first = append(first, s)
		}
	}
	for _, s := range first {
		if err := l.setOne(ctx, s, settings[s.ID]); err != nil {
			return byHand, err
		}
	}
	if begin != nil {
		begin()
	}
	for _, s := range last {
		if err := l.setOne(ctx, s, settings[s.ID]); err != nil {
			return byHand, err
		}
	}
	return byHand, nil
}

// setOne sets one setting, and holds what the instrument says then against it.
func (l *Link) setOne(ctx context.Context, s *Setting, wanted string) error {
	value := s.word(wanted)
	if err := l.tell(ctx, Question{Send: strings.ReplaceAll(s.Send, "{value}", value), Match: s.Match}); err != nil {
		return fmt.Errorf("%s could not be set to %s %s: %w", l.name, s.ID, wanted, err)
	}
	if s.Read == nil {
		return nil
	}
	says, err := l.readBack(ctx, s)
	if err == nil && !s.is(says, wanted) {
		err = fmt.Errorf("%s was to be set to %s %s, and says it is set to %s", l.name, s.ID, wanted, says)
	}
	return err
}

func (l *Link) readBack(ctx context.Context, s *Setting) (string, error) {
	text, err := l.ask(ctx, *s.Read)
	if err != nil {
		return "", err
	}
	value := strings.TrimSpace(s.Read.Match.parts(text)["value"])
	l.mutex.Lock()
	l.reported[s.ID] = Reported{value, time.Now()}
	l.mutex.Unlock()
	return value, nil
}

// ReadBack asks for every setting that can be read back.
func (l *Link) ReadBack(ctx context.Context) error {
	for i := range l.profile.Settings {
		s := &l.profile.Settings[i]
		if s.Read == nil || s.Simulated && !l.Status().Simulated() {
			continue
		}
		if _, err := l.readBack(ctx, s); err != nil {
			return err
		}
	}
	return nil
}

// word is what a procedure's word is called by the instrument.
func (s *Setting) word(value string) string {
	if own, ok := s.Values[value]; ok {
		return own
	}
	return value
}

// is reports whether what the instrument says is what was wanted: the same word, or the same number.
func (s *Setting) is(says, wanted string) bool {
	word := s.word(wanted)
	if strings.EqualFold(says, word) {
		return true
	}
	x, err := quantity.ParseNumber(says)
	y, err2 := quantity.ParseNumber(word)
	return err == nil && err2 == nil && x == y
}

// Differs says which setting the instrument reports otherwise than wanted, in words; empty where none does. A setting
// that is never read back is not known, and is taken as it was sent.
func (l *Link) Differs(settings map[string]string) string {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	for _, name := range slices.Sorted(maps.Keys(settings)) {
		s := l.profile.Setting(name)
		if s == nil || s.Read == nil {
			continue
		}
		if says, known := l.reported[name]; known && !s.is(says.Value, settings[name]) {
			return fmt.Sprintf("%s says that %s is %s; this point needs %s", l.name, name, says.Value, settings[name])
		}
	}
	return ""
}

// Reported is what the instrument says it is set to.
func (l *Link) Reported() map[string]Reported {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	return maps.Clone(l.reported)
}
