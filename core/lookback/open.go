package lookback

import (
	"fmt"
	"strings"
)

// Opening is a look-back as it begins: what it is called, what was found in a sentence, and what
// the owner is told.
type Opening struct{ Title, Found, Text string }

// OnDevice begins a look-back on a device that a signed run found out at some levels, the worst
// first; false where there is none. Since then it was adjusted and conforms again, or was taken out
// of use.
func OnDevice(s Subject, w Window, levels []Level, conformsAgain bool) (o Opening, opens bool) {
	if len(levels) == 0 {
		return o, false
	}
	mended := "taken out of use"
	if conformsAgain {
		mended = "adjusted, and conforming again"
	}
	return Opening{
		Title: s.Tag + " found out of its limits",
		Found: levels[0].Words() + ".",
		Text:  DeviceNotice(s, w, levels, mended),
	}, true
}

// ControlLevel is one level of a rejected control.
type ControlLevel struct {
	Level          int
	Value, Mean, Z float64
}

// words say how far off its mean a level was; empty where the mean is 0.
func (l ControlLevel) words() string {
	if l.Mean == 0 {
		return ""
	}
	return fmt.Sprintf("level %d: %+.1f %% off its mean (%+.1f SD).", l.Level, 100*(l.Value-l.Mean)/l.Mean, l.Z)
}

// OnControl opens a look-back on an analyte whose control was rejected. The time in doubt begins with
// the last control that was accepted.
func OnControl(s Subject, w Window, analyte, verdict string, levels []ControlLevel) Opening {
	var off []string
	for _, l := range levels {
		if words := l.words(); words != "" {
			off = append(off, words)
		}
	}
	return Opening{
		Title: s.Tag + ": control of " + analyte + " rejected",
		Found: verdict,
		Text:  ControlNotice(s, w, analyte, verdict, off),
	}
}

// Answered is someone who was told, and whether they have answered.
type Answered struct {
	To   string
	Done bool
}

// MayClose reports why a look-back cannot be closed yet: an owner has not answered, or the conclusion
// is empty. why is empty where it can be closed. field names the input that why is about; it is empty
// for a missing answer.
func MayClose(told []Answered, conclusion string) (field, why string) {
	for _, a := range told {
		if !a.Done {
			return "", a.To + " has not answered yet. Every answer is written down before it is closed."
		}
	}
	if strings.TrimSpace(conclusion) == "" {
		return "conclusion", "Say what came of it."
	}
	return "", ""
}
