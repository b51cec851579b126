package instrument

import "time"

// ConsoleLine is a line that was sent to an instrument or came from it.
type ConsoleLine struct {
	N    int       `json:"n"` // larger than that of every line before, also of the instrument's earlier links
	At   time.Time `json:"at"`
	Sent bool      `json:"sent"` // to the instrument
	Text string    `json:"text"`
}

// consoleLines is how many lines a console remembers.
const consoleLines = 400

// console remembers the last lines of a link, both ways.
type console struct {
	lines [consoleLines]ConsoleLine
	n     int
	from  int // number of the first line
}

func (c *console) add(sent bool, text string) {
	if len(text) > 200 {
		text = text[:200] + "…"
	}
	if c.from == 0 {
		c.from = int(time.Now().UnixMilli()) * 1000
	}
	c.lines[c.n%consoleLines] = ConsoleLine{c.from + c.n, time.Now(), sent, text}
	c.n++
}

// Console is what was sent and what came, after the line with a number; 0 for all that is remembered.
func (l *Link) Console(after int) []ConsoleLine {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	all := []ConsoleLine{}
	for n := max(after+1-l.console.from, l.console.n-consoleLines, 0); n < l.console.n; n++ {
		all = append(all, l.console.lines[n%consoleLines])
	}
	return all
}
