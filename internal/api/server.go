// Package api is the second floor: HTTP for the interface and for other programs.
// It translates, authorises and reports; the rules of the job are in core.
package api

import (
	"context"
	"crypto/tls"
	"encoding/json"
	"errors"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"reflect"
	"strings"
	"time"

	"northneedle/core/person"
	"northneedle/families"
	"northneedle/internal/definition"
	"northneedle/internal/files"
	"northneedle/internal/ledger"
	"northneedle/internal/people"
	"northneedle/internal/workshop"
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
var largerBodies = map[string]int64{"/api/imports": maxImport, "/api/papers/check": maxPaper, "/api/records": maxRecord,
	"/api/files":         files.Largest,
	"/api/house/restore": maxBackup}

// Server serves a workshop over HTTP.
type Server struct {
	http.Handler

	shop    *workshop.Workshop
	auth    *people.Authenticator
	crowd   crowd
	closing chan struct{} // closed when the program ends: streams end with it
}

// New is a server of a workshop, which it gets ready.
func New(shop *workshop.Workshop, by Transport) *Server {
	shop.Begin()
	s := &Server{shop: shop, auth: people.NewAuthenticator(shop.Ledger, shop.Clock, by.secure()), closing: make(chan struct{})}
	router := chi.NewRouter()
	router.Use(by.forwarded, logged, middleware.Recoverer, by.known, headers, http.NewCrossOriginProtection().Handler,
		limitBody, compress)
	router.Use(s.asOf, s.auth.Middleware, s.signedIn, s.limited, whole)
	API(s, router)
	router.Get("/schemas/procedure.json", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/schema+json")
		w.Write(definition.Schema())
	})
	router.Get("/feed/{secret}", s.feed)
	router.Get("/sign-in/directory", s.toDirectory)
	router.Get(person.Return, s.fromDirectory)
	router.Get("/healthz", s.healthy)
	router.NotFound(page(web.Files()))
	s.Handler = router
	return s
}

// EndStreams ends everything that a browser listens to; it is called once, when the program ends.
func (s *Server) EndStreams() { close(s.closing) }

// Close stops the sequences and writes what is pending. It is called after the last request was
// answered.
func (s *Server) Close() error {
	s.shop.End()
	return s.auth.Close()
}

// asked is how often it is asked whether the session of a stream still stands.
const asked = 2 * time.Second

// streaming is a context that also ends with the program, and with the session that the stream was begun in.
func (s *Server) streaming(ctx context.Context) (context.Context, context.CancelFunc) {
	ctx, cancel := context.WithCancel(ctx)
	go func() {
		defer cancel()
		ticker := time.NewTicker(asked)
		defer ticker.Stop()
		for {
			select {
			case <-s.closing:
				return
			case <-ctx.Done():
				return
			case <-ticker.C:
				if !s.auth.Lasts(ctx) {
					return
				}
			}
		}
	}()
	return ctx, cancel
}

// API registers every operation; with an empty Server it serves to write the description.
func API(s *Server, router chi.Router) huma.API {
	useProblems()
	huma.DefaultArrayNullable = false
	config := huma.DefaultConfig("North Needle", "1")
	config.Info.Description = "Verification and calibration of medical devices against reference standards."
	config.DocsPath, config.SchemasPath = "", ""
	config.CreateHooks = nil // no $schema links in answers
	config.Formats = map[string]huma.Format{"application/json": jsonFormat, "json": jsonFormat}
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{"session": {Type: "apiKey", In: "cookie",
		Name: people.CookieName, Description: "A session that was begun by signing in."}}
	config.Extensions = map[string]any{"x-permissions": person.Permissions}
	describeWords(config.Components.Schemas)
	for _, f := range families.All() {
		for _, figure := range f.Figures {
			t := reflect.TypeOf(figure)
			config.Components.Schemas.Schema(t, true, t.Name())
		}
	}
	api, shop := humachi.New(router, config), s.shop
	registerSession(api, s)
	registerPasskeys(api, s)
	registerDirectory(api, s)
	registerToday(api, shop)
	registerAssets(api, shop)
	registerActivities(api, shop)
	registerStandards(api, shop)
	registerReferences(api, shop)
	registerInstruments(api, shop)
	registerWorkings(api, shop)
	registerControls(api, shop)
	registerHistory(api, shop)
	registerLots(api, shop)
	registerLookBacks(api, shop)
	registerSafety(api, shop)
	registerTelling(api, shop)
	registerIntervals(api, shop)
	registerRounds(api, shop)
	registerWorkingDay(api, shop)
	registerWorkload(api, shop)
	registerCalendars(api, shop)
	registerImports(api, shop)
	registerJobs(api, shop)
	registerFiles(api, shop)
	registerLabels(api, shop)
	registerLists(api, shop)
	registerHouse(api, s)
	registerProcedures(api, s)
	registerRuns(api, shop)
	registerCommands(api, s)
	registerLive(api, s)
	registerRecords(api, shop)
	registerWorth(api, shop)
	registerReports(api, shop)
	registerDocuments(api, shop)
	registerPaper(api, shop)
	return api
}

// jsonFormat writes answers as encoding/json would, in a third of its time; what is sent to us is read
// by encoding/json itself.
var jsonFormat = huma.Format{Marshal: writeJSON, Unmarshal: readJSON}

// Description is the OpenAPI 3.1 description of the API.
func Description() ([]byte, error) {
	text, err := json.MarshalIndent(API(&Server{}, chi.NewRouter()).OpenAPI(), "", " ")
	return append(text, '\n'), err
}

// healthy answers whether the record can be read: for whatever watches over the server.
func (s *Server) healthy(w http.ResponseWriter, _ *http.Request) {
	if _, err := s.shop.Lab(); err != nil {
		http.Error(w, "the record cannot be read", http.StatusServiceUnavailable)
		return
	}
	w.Write([]byte("ok\n"))
}

// Serve answers at a listener until the context ends, and then lets requests under way finish.
// With a certificate it encrypts.
func (s *Server) Serve(ctx context.Context, listener net.Listener, certificate *tls.Certificate) error {
	server := &http.Server{
		Handler:           s,
		ReadHeaderTimeout: 5 * time.Second,
		ReadTimeout:       30 * time.Second,
		IdleTimeout:       2 * time.Minute,
		MaxHeaderBytes:    1 << 16,
	}
	if certificate != nil {
		server.TLSConfig = &tls.Config{MinVersion: tls.VersionTLS12, Certificates: []tls.Certificate{*certificate}}
	}
	server.RegisterOnShutdown(s.EndStreams)
	failed := make(chan error, 1)
	go func() {
		if certificate != nil {
			failed <- server.ServeTLS(listener, "", "")
			return
		}
		failed <- server.Serve(listener)
	}()
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

// asOf answers what only reads as of its beginning: the ledger's version is asked for once.
func (s *Server) asOf(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodGet || r.Method == http.MethodHead {
			r = r.WithContext(s.shop.Ledger.AsOf(r.Context()))
		}
		next.ServeHTTP(w, r)
	})
}

func headers(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		set := w.Header().Set
		set("Content-Security-Policy",
			"default-src 'self'; script-src 'self' 'wasm-unsafe-eval'; img-src 'self' data:; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'")
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

// compress sends long texts compressed; streams of events go out as they come, and so do answers that
// stay on the ward's own network: there, compressing takes longer than sending.
func compress(next http.Handler) http.Handler {
	wrap, err := gzhttp.NewWrapper(gzhttp.MinSize(compressed), gzhttp.CompressionLevel(1),
		gzhttp.ContentTypes([]string{"text/html", "text/css", "application/javascript", "text/javascript",
			"application/json", "application/problem+json", "image/svg+xml", "text/csv", "text/calendar"}))
	if err != nil {
		panic(err) // the options above are wrong
	}
	compressing := wrap(next)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/api/") && near(r.RemoteAddr) {
			next.ServeHTTP(w, r)
			return
		}
		compressing.ServeHTTP(w, r)
	})
}

// near reports whether an address is on this machine or on a network of one's own.
func near(address string) bool {
	at, err := netip.ParseAddrPort(address)
	ip := at.Addr().Unmap()
	return err == nil && (ip.IsLoopback() || ip.IsPrivate() || ip.IsLinkLocalUnicast())
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

type tokenKey struct{}

// byToken is the token that a request comes with as a program's; false where it is a person's.
func byToken(ctx context.Context) (ledger.Token, bool) {
	t, ok := ctx.Value(tokenKey{}).(ledger.Token)
	return t, ok
}

// person is who makes the request.
func who(ctx context.Context) person.Person {
	p, _ := ctx.Value(personKey{}).(person.Person)
	return p
}

// signedIn lets nobody past the sign-in page who is not signed in.
func (s *Server) signedIn(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		who, ok := s.auth.Who(r.Context())
		path := r.URL.Path
		if secret, bearer := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); bearer {
			t, valid, err := s.shop.TokenOf(r.Context(), ledger.OfProgram, secret)
			if err == nil && valid {
				ctx := context.WithValue(r.Context(), tokenKey{}, t)
				program := person.Person{ID: "token/" + t.ID, Name: t.Purpose, Role: person.Token}
				next.ServeHTTP(w, r.WithContext(context.WithValue(ctx, personKey{}, program)))
				return
			}
			ok = false // a wrong token signs nobody in, also where a session comes with it
		}
		data := strings.HasPrefix(path, "/api/") || strings.HasPrefix(path, "/openapi") ||
			strings.HasPrefix(path, "/schemas/")
		byLink := path == "/api/told" || strings.HasPrefix(path, "/api/told/")
		if !ok && data && !byLink && path != "/api/session" && path != "/api/session/start" &&
			!strings.HasPrefix(path, "/api/session/passkey/") {
			problem := &Problem{
				Status: http.StatusUnauthorized,
				Title:  "Not signed in",
				Detail: "Sign in first.",
				Code:   "not-signed-in",
			}
			problem.write(w)
			return
		}
		if ok && data && !byLink && !strings.HasPrefix(path, "/api/session") {
			if problem := s.owed(r.Context()); problem != nil {
				problem.write(w)
				return
			}
		}
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), personKey{}, who)))
	})
}

// owed is what whoever is signed in is told while they owe something.
func (s *Server) owed(ctx context.Context) *Problem {
	debt, err := s.auth.Owes(ctx)
	switch {
	case err != nil:
		var problem *Problem
		errors.As(fail(err), &problem)
		return problem
	case debt == people.OwnPassword:
		return &Problem{Status: http.StatusForbidden, Title: "A password of your own first", Code: "one-time",
			Detail: "Your password was given by somebody else. Set one that only you know; then everything else is open."}
	case debt == people.OwnSecret:
		return &Problem{Status: http.StatusForbidden, Title: "A PIN or passkey first", Code: "no-secret",
			Detail: "The directory says who you are; your signatures need a PIN or passkey of your own. Set one; then everything else is open."}
	}
	return nil
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
			w.Header().Set("Cache-Control", "no-cache")
			if strings.HasPrefix(name, "assets/") {
				w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
			}
			if strings.HasSuffix(name, ".webmanifest") {
				w.Header().Set("Content-Type", "application/manifest+json")
			}
			server.ServeHTTP(w, r)
			return
		}
		w.Header().Set("Cache-Control", "no-cache")
		http.ServeFileFS(w, r, files, "index.html")
	}
}
