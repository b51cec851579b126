package workshop

import (
	"errors"
	"fmt"
	"slices"
	"time"

	"northneedle/core/person"
	"northneedle/internal/ledger"
	"northneedle/internal/seal"
)

// keysSetting names the setting that holds every public key of this workshop: papers signed by an old one stay verifiable.
const keysSetting = "signing-keys"

// Keys are the workshop's public keys, the oldest first.
func (ws *Workshop) Keys() ([]seal.Public, error) { return keysOf(ws.Ledger) }

func keysOf(l *ledger.Ledger) (keys []seal.Public, err error) {
	err = l.Setting(keysSetting, &keys)
	return keys, err
}

// knowKey puts the key into the record, where it is not there yet: it is the workshop's from then on.
func (ws *Workshop) knowKey() error {
	if ws.Seal == nil {
		return nil
	}
	keys, err := ws.Keys()
	if err != nil || slices.Contains(keys, ws.Seal.Public) {
		return err
	}
	why := "the first one"
	if len(keys) > 0 {
		why = "another one than before: that one was not there"
	}
	if err := ws.Ledger.SetSetting(ws.act("", "workshop's key made known", ledger.Nobody, why), keysSetting,
		append(keys, ws.Seal.Public)); err != nil {
		return err
	}
	return ws.checkpoint()
}

// checkpoint signs how the record stands now.
func (ws *Workshop) checkpoint() error {
	if ws.Seal == nil {
		return nil
	}
	return ws.Seal.Checkpoint(ws.Ledger, ws.Clock())
}

// each is how often it is asked whether what is done each day is due.
const each = 10 * time.Minute

// Held is how much of a record was held against what.
type Held struct {
	Events      int
	Checkpoints int
	Backwards   []ledger.Backwards // where time goes back: it is said, and breaks nothing
}

// Hold checks a whole record: its chains and signatures, every register against the log, and the log against the
// checkpoints that were kept apart from it. The error names the first thing that does not hold.
func Hold(l *ledger.Ledger, folders ...string) (held Held, err error) {
	if held.Events, err = l.Verify(); err != nil {
		return held, err
	}
	if held.Backwards, err = l.Backwards(); err != nil {
		return held, err
	}
	different, err := l.Differences()
	if err != nil {
		return held, err
	}
	if len(different) > 0 {
		return held, fmt.Errorf("a register is not what the log gives: %s%s", different[0], more(len(different)-1))
	}
	if len(folders) == 0 {
		return held, nil
	}
	keys, err := keysOf(l)
	if err != nil {
		return held, err
	}
	held.Checkpoints, err = seal.Check(l, keys, folders...)
	return held, err
}

func more(n int) string {
	if n < 1 {
		return ""
	}
	return fmt.Sprintf(", and %d more", n)
}

// copyHolds holds a copy that is to be put back against what was signed here: its registers, and every checkpoint up to
// its end.
func (ws *Workshop) copyHolds(file string) error {
	return ledger.WithCopy(file, func(l *ledger.Ledger) error { return CopyHolds(l, ws.Seal) })
}

// CopyHolds holds an opened copy of the record against its registers and the checkpoints that were signed here.
func CopyHolds(l *ledger.Ledger, s *seal.Seal) error {
	different, err := l.Differences()
	if err != nil {
		return err
	}
	if len(different) > 0 {
		return fmt.Errorf("the copy was edited: a register is not what its log gives: %s%s", different[0],
			more(len(different)-1))
	}
	if s == nil {
		return nil
	}
	keys, err := keysOf(l)
	if err != nil {
		return err
	}
	if !slices.Contains(keys, s.Public) {
		keys = append(keys, s.Public)
	}
	if err := s.CheckCopy(l, keys); err != nil {
		return fmt.Errorf("the copy was edited: %w", err)
	}
	return nil
}

// restored signs that a copy was put back.
func (ws *Workshop) restored(copied int64, by person.Person) error {
	if ws.Seal == nil {
		return nil
	}
	return errors.Join(ws.Seal.Restored(ws.Ledger, copied, ws.Clock(), by.Name), ws.knowKey())
}
