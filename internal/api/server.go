// Package api is the second floor: HTTP for the interface and for other programs.
// It translates, authorises and reports; the rules of the job are in core.
package api

import (
	"context"
	"encoding/json"
	"io/fs"
	"log/slog"
	"net/http"
	"reflect"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"northneedle/core/adjust"
	"northneedle/core/conformity"
	"northneedle/core/duty"
	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/families"
	"northneedle/internal/capture"
	"northneedle/internal/definition"
	"northneedle/internal/ledger"
	"northneedle/internal/people"
	"northneedle/web"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/klauspost/compress/gzhttp"
)

// maxBody is the largest request that is read.
const maxBody = 1 << 20

// largerBodies are the addresses that take whole files.
var largerBodies = map[string]int64{"/api/imports": maxImport, "/api/records": maxRecord,
	"/api/house/restore": maxBackup}

// House is everything the server works with.
type House struct {
	Ledger     *ledger.Ledger
	Bench      *capture.Driver
	Procedures []*procedure.Procedure // to begin with
	Duties     []duty.Template        // what recurs on each family
	Clock      func() time.Time
	Speed      float64 // how many of the clock's seconds pass in a real one; 0 means 1
	TryOut     func(p *procedure.Procedure, lab run.Lab,
		at time.Time) (runview.View, error) // plays a procedure on simulated devices
	Folder  string // of the lab's own procedures; empty: none are kept
	Demo    bool   // lists the demo's people on the sign-in page
	Version string

	shelf   atomic.Pointer[[]*procedure.Procedure] // in use now; never changed, only exchanged
	edition atomic.Int64                           // of the shelf: another number after every exchange

	desk    *people.Desk
	changes *changes
	imports imports
	plans   plans

	sequences *capture.Sequencer
	closing   chan struct{} // closed when the program ends: streams end with it
}

// templates are what recurs on each family, a lab's own families among them.
func (h *House) templates() []duty.Template { return procedure.WithOwn(h.Duties, h.procedures()) }

// act is what someone does to the record now. An id made by the client keeps a retry from doing it
// twice.
func (h *House) act(id, kind string, who person.Person, why string) ledger.Act {
	return ledger.Act{ID: id, Kind: kind, By: who, At: h.Clock(), Why: why}
}

// DefaultLab is how a workshop judges until it says otherwise.
func DefaultLab() run.Lab {
	return run.Lab{Name: "Biomedical workshop", Rule: conformity.Rule{Kind: conformity.Simple, TURFloor: 3},
		Policy: adjust.Policy{School: adjust.Threshold, Threshold: 0.7, MaxRounds: 4},
		Review: procedure.ReviewOnFailure}
}

// procedures are those in use now.
func (h *House) procedures() []*procedure.Procedure { return *h.shelf.Load() }

// procedure is the one in use with an id; nil and false where there is none.
func (h *House) procedure(id string) (*procedure.Procedure, bool) {
	all := h.procedures()
	at := slices.IndexFunc(all, func(p *procedure.Procedure) bool { return p.ID == id })
	if at < 0 {
		return nil, false
	}
	return all[at], true
}

// use puts a procedure in the place of the one with its id, or beside the others.
func (h *House) use(p *procedure.Procedure) {
	for {
		before := h.shelf.Load()
		next := slices.Clone(*before)
		if at := slices.IndexFunc(next, func(q *procedure.Procedure) bool { return q.ID == p.ID }); at >= 0 {
			next[at] = p
		} else {
			next = append(next, p)
		}
		if h.shelf.CompareAndSwap(before, &next) {
			h.edition.Add(1)
			return
		}
	}
}

// lab is the lab's settings.
func (h *House) lab() (run.Lab, error) {
	lab := DefaultLab()
	err := h.Ledger.Setting("lab", &lab)
	return lab, err
}

// Handler is the whole server.
func Handler(h *House) http.Handler {
	h.desk = people.NewDesk(h.Ledger, h.Clock)
	h.shelf.Store(&h.Procedures)
	h.changes = newChanges()
	h.Ledger.OnChange(h.changes.tell)
	h.sequences = capture.NewSequencer(h.Ledger, h.Bench, h.changes.tell)
	h.closing = make(chan struct{})

	router := chi.NewRouter()
	router.Use(logged, middleware.Recoverer, headers, http.NewCrossOriginProtection().Handler, limitBody, compress)
	router.Use(h.asOf, h.desk.Middleware, h.signedIn)
	API(h, router)
	router.Get("/schemas/procedure.json", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/schema+json")
		w.Write(definition.Schema())
	})
	router.Get("/feed/{secret}", h.feed)
	router.Get("/healthz", h.healthy)
	router.NotFound(page(web.Files()))
	return router
}

// EndStreams ends everything that a browser listens to; it is called once, when the program ends.
func (h *House) EndStreams() { close(h.closing) }

// Close stops what goes on by itself, after the last request was answered.
func (h *House) Close() error {
	h.sequences.Close()
	return h.desk.Close()
}

// streaming is a context that also ends with the program.
func (h *House) streaming(ctx context.Context) (context.Context, context.CancelFunc) {
	ctx, cancel := context.WithCancel(ctx)
	go func() {
		select {
		case <-h.closing:
			cancel()
		case <-ctx.Done():
		}
	}()
	return ctx, cancel
}

// API registers every operation; with a nil House it serves to write the description.
func API(h *House, router chi.Router) huma.API {
	useProblems()
	huma.DefaultArrayNullable = false
	config := huma.DefaultConfig("North Needle", "1")
	config.Info.Description = "Verification and calibration of medical devices against reference standards."
	config.DocsPath, config.SchemasPath = "", ""
	config.CreateHooks = nil // no $schema links in answers
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{"session": {Type: "apiKey", In: "cookie",
		Name: people.CookieName, Description: "A session that was begun by signing in."}}
	config.Extensions = map[string]any{"x-permissions": person.Permissions}
	for _, f := range families.All() {
		for _, figure := range f.Figures {
			t := reflect.TypeOf(figure)
			config.Components.Schemas.Schema(t, true, t.Name())
		}
	}
	api := humachi.New(router, config)
	registerSession(api, h)
	registerToday(api, h)
	registerAssets(api, h)
	registerActivities(api, h)
	registerStandards(api, h)
	registerReferences(api, h)
	registerWorkings(api, h)
	registerControls(api, h)
	registerHistory(api, h)
	registerLots(api, h)
	registerLookBacks(api, h)
	registerIntervals(api, h)
	registerRounds(api, h)
	registerWorkingDay(api, h)
	registerWorkload(api, h)
	registerCalendars(api, h)
	registerImports(api, h)
	registerLabels(api, h)
	registerLists(api, h)
	registerHouse(api, h)
	registerRuns(api, h)
	registerCommands(api, h)
	registerLive(api, h)
	registerRecords(api, h)
	registerWorth(api, h)
	registerReports(api, h)
	registerDocuments(api, h)
	registerPaper(api, h)
	return api
}

// Description is the OpenAPI 3.1 description of the API.
func Description() ([]byte, error) {
	text, err := json.MarshalIndent(API(nil, chi.NewRouter()).OpenAPI(), "", " ")
	return append(text, '\n'), err
}

// healthy answers whether the record can be read: for whatever watches over the server.
func (h *House) healthy(w http.ResponseWriter, _ *http.Request) {
	if _, err := h.lab(); err != nil {
		http.Error(w, "the record cannot be read", http.StatusServiceUnavailable)
		return
	}
	w.Write([]byte("ok\n"))
}

// Serve runs the server until the context ends, and then lets requests under way finish.
func Serve(ctx context.Context, address string, handler http.Handler, onStop func()) error {
	server := &http.Server{Addr: address, Handler: handler, ReadHeaderTimeout: 5 * time.Second,
		ReadTimeout: 30 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 1 << 16,
		BaseContext: nil}
	server.RegisterOnShutdown(onStop)
	failed := make(chan error, 1)
	go func() { failed <- server.ListenAndServe() }()
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	slog.Info("stopping")
	grace, cancel := context.WithTimeout(context.Background(), 3*time.Second)
	defer cancel()
	if err := server.Shutdown(grace); err != nil {
		return server.Close() // what still hangs does not hold up the stop
	}
	return nil
}

func headers(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		set := w.Header().Set
		set("Content-Security-Policy",
			"default-src 'self'; img-src 'self' data:; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'")
		set("X-Content-Type-Options", "nosniff")
		set("Referrer-Policy", "same-origin")
		if strings.HasPrefix(r.URL.Path, "/api/") {
			set("Cache-Control", "no-store")
		}
		next.ServeHTTP(w, r)
	})
}

// compressed is from how many bytes on an answer is compressed: a shorter one reaches
// the browser sooner as it is.
const compressed = 16 << 10

// compress sends long texts compressed; streams of events go out as they come.
func compress(next http.Handler) http.Handler {
	wrap, err := gzhttp.NewWrapper(gzhttp.MinSize(compressed), gzhttp.CompressionLevel(1),
		gzhttp.ContentTypes([]string{"text/html", "text/css", "application/javascript", "text/javascript",
			"application/json", "application/problem+json", "image/svg+xml", "text/csv", "text/calendar"}))
	if err != nil {
		panic(err) // the options above are wrong
	}
	return wrap(next)
}

func limitBody(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		most := int64(maxBody)
		if larger, known := largerBodies[r.URL.Path]; known {
			most = larger
		}
		r.Body = http.MaxBytesReader(w, r.Body, most)
		next.ServeHTTP(w, r)
	})
}

type personKey struct{}

// person is who makes the request.
func who(ctx context.Context) person.Person {
	p, _ := ctx.Value(personKey{}).(person.Person)
	return p
}

// signedIn lets nobody past the sign-in page who is not signed in.
func (h *House) signedIn(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		who, ok := h.desk.Who(r.Context())
		path := r.URL.Path
		data := strings.HasPrefix(path, "/api/") || strings.HasPrefix(path, "/openapi") ||
			strings.HasPrefix(path, "/schemas/")
		if !ok && data && path != "/api/session" {
			problem := &Problem{
				Status: http.StatusUnauthorized,
				Title:  "Not signed in",
				Detail: "Sign in first.",
				Code:   "not-signed-in",
			}
			problem.write(w)
			return
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), personKey{}, who)))
	})
}

// page serves the interface: its files as they are, and its first page for every view.
func page(files fs.FS) http.HandlerFunc {
	server := http.FileServerFS(files)
	return func(w http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodGet && r.Method != http.MethodHead || strings.HasPrefix(r.URL.Path, "/api/") {
			problem := &Problem{
				Status: http.StatusNotFound,
				Title:  "Not found",
				Detail: "There is nothing at " + r.URL.Path + ".",
				Code:   "not-found",
			}
			problem.write(w)
			return
		}
		name := strings.TrimPrefix(r.URL.Path, "/")
		if info, err := fs.Stat(files, name); name != "" && err == nil && !info.IsDir() {
			if strings.HasPrefix(name, "assets/") {
				w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
			}
			server.ServeHTTP(w, r)
			return
		}
		w.Header().Set("Cache-Control", "no-cache")
		http.ServeFileFS(w, r, files, "index.html")
	}
}
