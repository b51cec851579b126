package api

import (
	"errors"
	"net/http"
	"strings"
	"sync"

	"northneedle/internal/workshop"
)

// mostStreams is how many streams a person may listen to at once, over all their pages.
const mostStreams = 24

// crowd counts what people have open at once.
type crowd struct {
	mutex sync.Mutex
	open  map[string]int
}

// enter reports whether somebody may open one more, and counts it if so.
func (c *crowd) enter(who string) bool {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	if c.open[who] >= mostStreams {
		return false
	}
	if c.open == nil {
		c.open = map[string]int{}
	}
	c.open[who]++
	return true
}

func (c *crowd) leave(who string) {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	if c.open[who]--; c.open[who] <= 0 {
		delete(c.open, who)
	}
}

// errCrowd says that somebody has too many streams open.
var errCrowd = errors.New("you listen to this workshop from very many pages at once: close some of them")

// limited answers 429 where somebody asks for a stream and has too many open.
func (s *Server) limited(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !streams(r.URL.Path) {
			next.ServeHTTP(w, r)
			return
		}
		id := who(r.Context()).ID
		if !s.crowd.enter(id) {
			problem := &Problem{Status: http.StatusTooManyRequests, Title: "Too many pages",
				Detail: workshop.Sentence(errCrowd), Code: "streams"}
			problem.write(w)
			return
		}
		defer s.crowd.leave(id)
		next.ServeHTTP(w, r)
	})
}

// streams reports whether an address is that of a stream.
func streams(path string) bool {
	return path == "/api/changes" || strings.HasPrefix(path, "/api/runs/") && strings.HasSuffix(path, "/live")
}
