package api

import (
	"net/http"
	"slices"
	"strings"
)

// Transport is how requests come: by which hosts, encrypted or not, and through whom.
type Transport struct {
	TLS         bool     // this program encrypts
	BehindProxy bool     // a proxy in front does: what it forwards of the request is believed
	Hosts       []string // names that are served, with their port where it is not the usual one; empty: any
}

// forwarded takes what a proxy says of a request for its own: who asked, by which host, and whether that was encrypted.
func (t Transport) forwarded(next http.Handler) http.Handler {
	if !t.BehindProxy {
		return next
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		last := func(name string) string { // a proxy appends; what stood there before is the client's claim
			all := strings.Split(r.Header.Get(name), ",")
			return strings.TrimSpace(all[len(all)-1])
		}
		if from := last("X-Forwarded-For"); from != "" {
			r.RemoteAddr = from
		}
		if host := last("X-Forwarded-Host"); host != "" {
			r.Host = host
		}
		if last("X-Forwarded-Proto") != "https" && r.URL.Path != "/healthz" {
			problem := &Problem{Status: http.StatusMisdirectedRequest, Title: "Not encrypted", Code: "not-encrypted",
				Detail: "The proxy did not say that this came over HTTPS (X-Forwarded-Proto)."}
			problem.write(w)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// known refuses what asks for another host: a page of another name cannot have this one's answers.
func (t Transport) known(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if len(t.Hosts) > 0 && !slices.Contains(t.Hosts, strings.ToLower(r.Host)) && r.URL.Path != "/healthz" {
			problem := &Problem{Status: http.StatusMisdirectedRequest, Title: "Another host", Code: "host",
				Detail: "This workshop is not served under that name."}
			problem.write(w)
			return
		}
		if t.secure() {
			w.Header().Set("Strict-Transport-Security", "max-age=31536000")
		}
		next.ServeHTTP(w, r)
	})
}

// secure reports whether what goes out reaches the browser encrypted.
func (t Transport) secure() bool { return t.TLS || t.BehindProxy }
