package workshop

import (
	"context"
	"errors"
	"os"
	"slices"
	"sync"

	"northneedle/core/person"
	"northneedle/internal/ledger"

	"github.com/oklog/ulid/v2"
)

// JobView is work that takes a while and ends in a file: under way, or ended.
type JobView struct {
	ID    string `json:"id"`
	What  string `json:"what"`
	State string `json:"state" enum:"running,done,stopped,failed"`
	Done  int    `json:"done"`
	All   int    `json:"all"`
	Why   string `json:"why,omitempty" doc:"it failed"`
}

// jobs are those that were begun lately: at most a few, since their files are held in memory.
type jobs struct {
	mutex sync.Mutex
	all   []*job
	one   sync.Mutex // of several that are begun, one is under way: the others wait
}

type job struct {
	JobView
	by   string
	file File
	path string // of a file that is too large for the memory; it is gone with the job
	stop context.CancelFunc
}

// heldJobs is how many jobs are held.
const heldJobs = 6

// begin begins a job of somebody: do tells how far it is, and ends with the context. Everybody has one under way at a time.
func (j *jobs) begin(what string, all int, who person.Person, do func(ctx context.Context, told func(done int)) (File,
	error)) (JobView, error) {
	ctx, stop := context.WithCancel(context.Background())
	begun := &job{JobView: JobView{ID: ulid.Make().String(), What: what, State: "running", All: all}, by: who.ID, stop: stop}
	j.mutex.Lock()
	defer j.mutex.Unlock()
	if slices.ContainsFunc(j.all, func(other *job) bool { return other.by == who.ID && other.State == "running" }) {
		stop()
		return JobView{}, invalid("job", "Something else of yours is being put together: wait for it, or stop it.")
	}
	j.all = append(j.all, begun)
	for len(j.all) > heldJobs && j.all[0].State != "running" {
		j.all[0].forget()
		j.all = j.all[1:]
	}
	go func() {
		j.one.Lock()
		defer j.one.Unlock()
		file, err := do(ctx, func(done int) {
			j.mutex.Lock()
			defer j.mutex.Unlock()
			begun.Done = done
		})
		j.mutex.Lock()
		defer j.mutex.Unlock()
		defer stop()
		switch {
		case err == nil:
			begun.State, begun.file, begun.Done = "done", file, all
			if file.From != nil {
				begun.path = file.From.Name()
				file.From.Close()
				begun.file.From = nil
			}
		case errors.Is(err, context.Canceled):
			begun.State = "stopped"
		default:
			begun.State, begun.Why = "failed", Sentence(err)
		}
	}()
	return begun.JobView, nil
}

// forget takes the file of a job from the disk.
func (j *job) forget() {
	if j.path != "" {
		os.Remove(j.path)
	}
}

// Close stops what is under way, and takes the files from the disk.
func (j *jobs) Close() {
	j.mutex.Lock()
	defer j.mutex.Unlock()
	for _, known := range j.all {
		known.stop()
		known.forget()
	}
}

// of is somebody's own job, looked at under the lock.
func (j *jobs) of(id string, who person.Person, look func(*job)) error {
	j.mutex.Lock()
	defer j.mutex.Unlock()
	for _, known := range j.all {
		if known.ID == id && known.by == who.ID {
			look(known)
			return nil
		}
	}
	return ledger.ErrNotFound
}

// Job is how far somebody's own job is.
func (ws *Workshop) Job(id string, who person.Person) (v JobView, err error) {
	err = ws.jobs.of(id, who, func(j *job) { v = j.JobView })
	return v, err
}

// StopJob stops somebody's own job.
func (ws *Workshop) StopJob(id string, who person.Person) error {
	return ws.jobs.of(id, who, func(j *job) { j.stop() })
}

// JobFile is what somebody's own job ended in.
func (ws *Workshop) JobFile(id string, who person.Person) (f File, err error) {
	path := ""
	err = ws.jobs.of(id, who, func(j *job) { f, path = j.file, j.path })
	switch {
	case err != nil:
	case path != "":
		f.From, err = os.Open(path)
	case f.Body == nil:
		err = ledger.ErrNotFound
	}
	return f, err
}
