package backup

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"northneedle/internal/ledger"
)

// Schedule writes a backup a day into a folder, tries to take each out again, and keeps some.
type Schedule struct {
	Ledger     *ledger.Ledger
	Data       string // the data folder
	Folder     string // where the backups go
	Keep       int    // how many are kept
	Passphrase string // empty: not encrypted
	Holds      func(*ledger.Ledger) error
	Clock      func() time.Time

	mutex sync.Mutex
	state Copies
}

// Copies are how the backups stand.
type Copies struct {
	Folder string     `json:"folder,omitempty"`
	Last   *time.Time `json:"last,omitempty" doc:"when the last one was written"`
	File   string     `json:"file,omitempty"`
	Bytes  int64      `json:"bytes,omitempty"`
	Tried  *time.Time `json:"tried,omitempty" doc:"when it was taken out again and checked"`
	Kept   int        `json:"kept,omitempty"`
	Failed string     `json:"failed,omitempty" doc:"why the last one is none"`
}

// prefix begins the names of the backups that are scheduled: others in the folder are left alone.
const prefix = "northneedle-"

// Due reports whether none of today's is there.
func (s *Schedule) Due() bool {
	all, err := s.all()
	return err != nil || !slices.ContainsFunc(all, func(name string) bool {
		return strings.Contains(name,
			s.Clock().Format("20060102"))
	})
}

// all are the backups that are there, the oldest first.
func (s *Schedule) all() (names []string, err error) {
	entries, err := os.ReadDir(s.Folder)
	for _, e := range entries {
		if strings.HasPrefix(e.Name(), prefix) && strings.HasSuffix(e.Name(), ".backup") {
			names = append(names, e.Name())
		}
	}
	slices.Sort(names)
	return names, err
}

// Run writes one, takes it out again, and removes those beyond what is kept. An older one is only removed when the new
// one is good.
func (s *Schedule) Run() error {
	now := s.Clock()
	state := Copies{Folder: s.Folder, Last: &now}
	err := s.run(now, &state)
	if err != nil {
		state.Failed = err.Error()
	}
	s.mutex.Lock()
	s.state = state
	s.mutex.Unlock()
	return err
}

func (s *Schedule) run(now time.Time, state *Copies) error {
	if err := os.MkdirAll(s.Folder, 0o700); err != nil {
		return err
	}
	state.File = prefix + now.Format("20060102-150405") + ".backup"
	file := filepath.Join(s.Folder, state.File)
	if err := WriteFile(s.Ledger, s.Data, s.Passphrase, file); err != nil {
		return err
	}
	if info, err := os.Stat(file); err == nil {
		state.Bytes = info.Size()
	}
	if err := s.try(file); err != nil {
		return fmt.Errorf("the backup %s was written, and cannot be put back: %w", state.File, err)
	}
	tried := s.Clock()
	state.Tried = &tried
	names, err := s.all()
	for len(names) > max(1, s.Keep) {
		err = errors.Join(err, os.Remove(filepath.Join(s.Folder, names[0])))
		names = names[1:]
	}
	state.Kept = len(names)
	return err
}

// try takes a backup out, and checks the record in it.
func (s *Schedule) try(file string) error {
	folder, err := os.MkdirTemp("", "try")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	in, err := os.Open(file)
	if err != nil {
		return err
	}
	defer in.Close()
	if err := Unpack(in, s.Passphrase, folder); err != nil {
		return err
	}
	return ledger.WithCopy(filepath.Join(folder, ledger.File), s.Holds)
}

// Copies are how the backups stand.
func (s *Schedule) State() Copies {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	if s.state.Folder == "" {
		s.state.Folder = s.Folder
	}
	return s.state
}
