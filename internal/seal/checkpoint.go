package seal

import (
	"bufio"
	"bytes"
	"crypto/ed25519"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"time"
)

// CheckpointFile holds the checkpoints, one JWS a line, the earliest first.
const CheckpointFile = "checkpoints.jws"

// Checkpoint says how the record stood at a moment, signed by the workshop's key.
type Checkpoint struct {
	N        int       `json:"n"`              // from 1 on
	Event    int64     `json:"event"`          // number of the log's last event
	Head     string    `json:"head"`           // its hash, which holds all before it
	At       time.Time `json:"at"`             // when
	Previous string    `json:"previous"`       // SHA-256 of the line before
	Copy     int64     `json:"copy,omitempty"` // where a copy was put back: the number of its last event
	By       string    `json:"by,omitempty"`   // and who put it back
	Key      string    `json:"-"`              // id of the key
}

// Log is the record, as far as checkpoints are held against it.
type Log interface {
	Tip() (event int64, head string, err error)                     // the last event; 0 where there is none
	HashAt(event int64) (hash string, err error)                    // empty where there is no such event
	EventAfter(event int64) (words string, at time.Time, err error) // what happened first after an event, in words
}

// Seal signs for a workshop.
type Seal struct {
	folder, second string
	key            ed25519.PrivateKey
	Public         Public
	Made           bool // the key is new: there was none in its folder

	mutex sync.Mutex
	all   []Checkpoint
	last  string // the last line
}

// New opens the workshop's key and checkpoints in a folder, making them where they are not there. second is another
// folder for the checkpoints, on another disk; empty: none.
func New(folder, second string) (*Seal, error) {
	key, made, err := makeKey(folder)
	if err != nil {
		return nil, err
	}
	s := &Seal{folder: folder, second: second, key: key, Public: publicOf(key.Public().(ed25519.PublicKey)), Made: made}
	return s, s.read()
}

// read reads the checkpoints that are there. A last line that was not finished was not acknowledged: it is left out, and
// cut off by the next.
func (s *Seal) read() error {
	text, err := os.ReadFile(filepath.Join(s.folder, CheckpointFile))
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return err
	}
	lines, _, err := parse(text)
	if err != nil {
		return err
	}
	s.all, s.last = lines, lastLine(text)
	return nil
}

// parse reads lines without verifying them, each with the hash that the next one should name.
func parse(text []byte) (all []Checkpoint, lines []string, err error) {
	scanner := bufio.NewScanner(bytes.NewReader(whole(text)))
	scanner.Buffer(nil, 1<<20)
	for scanner.Scan() {
		c, err := unverified(scanner.Text())
		if err != nil {
			return nil, nil, fmt.Errorf("checkpoint %d of %s: %w", len(all)+1, CheckpointFile, err)
		}
		all, lines = append(all, c), append(lines, scanner.Text())
	}
	return all, lines, scanner.Err()
}

// whole is a text without a last line that was not finished.
func whole(text []byte) []byte { return text[:bytes.LastIndexByte(text, '\n')+1] }

func lastLine(text []byte) string {
	lines := bytes.Split(bytes.TrimSuffix(whole(text), []byte("\n")), []byte("\n"))
	return string(lines[len(lines)-1])
}

func lineHash(line string) string {
	sum := sha256.Sum256([]byte(line))
	return hex.EncodeToString(sum[:])
}

// Checkpoint signs how a log stands now, where it has gone on since the last one.
func (s *Seal) Checkpoint(log Log, at time.Time) error { return s.add(log, at, Checkpoint{}) }

// Restored signs that a copy was put in the place of the record: checkpoints of what came after the copy do not hold
// any more, and this one says why. copied is the number of the copy's last event.
func (s *Seal) Restored(log Log, copied int64, at time.Time, by string) error {
	return s.add(log, at, Checkpoint{Copy: copied, By: by})
}

func (s *Seal) add(log Log, at time.Time, c Checkpoint) (err error) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if c.Event, c.Head, err = log.Tip(); err != nil {
		return err
	}
	if n := len(s.all); c.Event == 0 || n > 0 && c.Copy == 0 && s.all[n-1].Event == c.Event && s.all[n-1].Head == c.Head {
		return nil
	}
	c.N, c.At, c.Key = len(s.all)+1, at.UTC(), s.Public.ID
	if s.last != "" {
		c.Previous = lineHash(s.last)
	}
	line, err := s.Sign(c)
	if err != nil {
		return err
	}
	for _, folder := range s.Folders() {
		if err := appendLine(filepath.Join(folder, CheckpointFile), line); err != nil {
			return fmt.Errorf("the checkpoint was not kept in %s: %w", folder, err)
		}
	}
	s.all, s.last = append(s.all, c), line
	return nil
}

// Folders are where the checkpoints are kept: the key's, and the second one if there is one.
func (s *Seal) Folders() []string {
	if s.second == "" {
		return []string{s.folder}
	}
	return []string{s.folder, s.second}
}

// Sign signs a value as JSON, as a JWS in its short form.
func (s *Seal) Sign(value any) (string, error) {
	text, err := json.Marshal(value)
	if err != nil {
		return "", err
	}
	by, err := signer(s.key)
	if err != nil {
		return "", err
	}
	signed, err := by.Sign(text)
	if err != nil {
		return "", err
	}
	return signed.CompactSerialize()
}

// appendLine adds a line to a file, on the disk when it returns. What a killed program left unfinished is cut off first.
func appendLine(file, line string) error {
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return err
	}
	out, err := os.OpenFile(file, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return err
	}
	text, err := os.ReadFile(file)
	if err == nil {
		end := int64(len(whole(text)))
		if err = out.Truncate(end); err == nil {
			_, err = out.WriteAt([]byte(line+"\n"), end)
		}
	}
	return errors.Join(err, out.Sync(), out.Close())
}

// At is the first checkpoint that holds an event; false where there is none yet.
func (s *Seal) At(event int64) (Checkpoint, bool) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	for _, c := range s.all[s.since():] {
		if c.Event >= event {
			return c, true
		}
	}
	return Checkpoint{}, false
}

// Last is the last checkpoint; false where there is none.
func (s *Seal) Last() (Checkpoint, bool) {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if len(s.all) == 0 {
		return Checkpoint{}, false
	}
	return s.all[len(s.all)-1], true
}

// since is the index of the last checkpoint that says that a copy was put back; 0 where none does.
func (s *Seal) since() int {
	for i, c := range slices.Backward(s.all) {
		if c.Copy > 0 {
			return i
		}
	}
	return 0
}

// Check holds a record against the checkpoints that are kept in some folders, by the keys that the record names: every
// line must be signed, follow the one before it, and be what the record holds at its event. It returns how many there
// are. The folders must agree.
func Check(log Log, keys []Public, folders ...string) (int, error) {
	var first []string
	n := 0
	for i, folder := range folders {
		text, err := os.ReadFile(filepath.Join(folder, CheckpointFile))
		if err != nil {
			return n, fmt.Errorf("the checkpoints in %s cannot be read: %w", folder, err)
		}
		all, lines, err := parse(text)
		if err != nil {
			return n, fmt.Errorf("%s: %w", folder, err)
		}
		if i > 0 && !slices.Equal(lines, first) {
			return n, fmt.Errorf("the checkpoints in %s and %s are not the same: one of them was changed or cut",
				folders[0], folder)
		}
		first, n = lines, len(all)
		if err := hold(log, keys, lines); err != nil {
			return n, fmt.Errorf("%s: %w", folder, err)
		}
	}
	return n, nil
}

// CheckCopy holds a copy of the record, which may be older, against the checkpoints up to its own end: the one that stands
// now, or one that was put aside when another copy was put back.
func (s *Seal) CheckCopy(log Log, keys []Public) error {
	text, err := os.ReadFile(filepath.Join(s.folder, CheckpointFile))
	if errors.Is(err, os.ErrNotExist) {
		return nil // nothing was ever signed here
	}
	if err != nil {
		return err
	}
	_, lines, err := parse(text)
	if err != nil {
		return err
	}
	ways, err := follow(keys, lines)
	if err != nil {
		return err
	}
	tip, _, err := log.Tip()
	if err != nil {
		return err
	}
	for _, way := range slices.Backward(ways) {
		way = slices.DeleteFunc(way, func(c Checkpoint) bool { return c.Event > tip })
		if err = along(log, way); err == nil {
			return nil
		}
	}
	return err
}

// hold holds a log against lines of checkpoints.
func hold(log Log, keys []Public, lines []string) error {
	ways, err := follow(keys, lines)
	if err != nil {
		return err
	}
	return along(log, ways[len(ways)-1])
}

// follow verifies lines, and gives the checkpoints of the record as it was each time before a copy was put in its
// place, and as it is now, which comes last.
func follow(keys []Public, lines []string) (ways [][]Checkpoint, err error) {
	var now []Checkpoint
	previous := ""
	for i, line := range lines {
		payload, _, err := Open(line, keys)
		if err != nil {
			return nil, fmt.Errorf("checkpoint %d: %w: it was forged, or its key is not in the record", i+1, err)
		}
		var c Checkpoint
		if err := json.Unmarshal(payload, &c); err != nil || c.N != i+1 || c.Previous != previous {
			return nil, fmt.Errorf("checkpoint %d does not follow the one before it: checkpoints were taken away", i+1)
		}
		previous = lineHash(line)
		if c.Copy > 0 { // what came after the copy that was put back is beside the record now
			ways = append(ways, slices.Clone(now))
			now = slices.DeleteFunc(now, func(earlier Checkpoint) bool { return earlier.Event > c.Copy })
		}
		now = append(now, c)
	}
	return append(ways, now), nil
}

// along holds a log against checkpoints, the earliest first.
func along(log Log, all []Checkpoint) error {
	tip, _, err := log.Tip()
	if err != nil {
		return err
	}
	good := int64(0)
	for _, c := range all {
		if c.Event > tip {
			return fmt.Errorf("the record ends at event %d; checkpoint %d of %s was signed over %d: its end was cut off, or an older copy was put in its place unsaid",
				tip, c.N, c.At.Local().Format(time.DateTime), c.Event)
		}
		hash, err := log.HashAt(c.Event)
		if err != nil {
			return err
		}
		if hash == c.Head {
			good = c.Event
			continue
		}
		words, at, err := log.EventAfter(good)
		if err != nil {
			return err
		}
		return fmt.Errorf("the record is not the one that was signed: after checkpoint %d of %s something was changed, taken away or put in between event %d and event %d (that span begins now with: %s, %s)",
			c.N, c.At.Local().Format(time.DateTime), good+1, c.Event, words, at.Format(time.DateTime))
	}
	return nil
}

// unverified reads what a line says, whoever signed it.
func unverified(line string) (c Checkpoint, err error) {
	payload, by, err := peek(line)
	if err != nil {
		return c, err
	}
	err = json.Unmarshal(payload, &c)
	c.Key = by
	return c, err
}
