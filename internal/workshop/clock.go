package workshop

import (
	"fmt"
	"log/slog"
	"time"

	"northneedle/internal/ledger"
)

// clockSubject is what an event is about that says that the clock was put back.
const clockSubject = "record/clock"

// noticeClock records it where the server's clock is behind what the record's last event says: whatever is recorded from now on
// bears an earlier time than what came before it.
func (ws *Workshop) noticeClock() {
	now := ws.Clock()
	by, err := ws.Ledger.WentBack(now)
	if err == nil && by > 0 {
		const form = "2006-01-02 15:04:05"
		why := fmt.Sprintf("from %s, when something was recorded last, to %s", now.Add(by).Local().Format(form),
			now.Local().Format(form))
		slog.Warn("the server's clock went back", "by", by)
		err = ws.Ledger.Log(ws.act("", "clock went back", ledger.Nobody, why), clockSubject)
	}
	if err != nil {
		slog.Error("whether the clock went back is not known", "error", err)
	}
}

// clockWarnings are what somebody should know of the server's clock: when it went back last.
func (ws *Workshop) clockWarnings() []string {
	told, err := ws.Ledger.History(1, clockSubject)
	if err != nil || len(told) == 0 || ws.Clock().Sub(told[0].At) > 30*24*time.Hour {
		return nil
	}
	return []string{"The server's clock went back " + told[0].Why + ". Times from then on are earlier than what was recorded before; " +
		"check the server's clock, and what was signed since."}
}
