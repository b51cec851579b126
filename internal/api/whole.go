package api

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"
	"slices"
	"strings"

	fastjson "github.com/goccy/go-json"
)

// whole keeps the status of an answer back until its first byte: an answer that cannot be written is none, whatever its
// status was going to be.
func whole(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		held := &heldStatus{ResponseWriter: w}
		next.ServeHTTP(held, r)
		held.send()
	})
}

type heldStatus struct {
	http.ResponseWriter
	status int
	sent   bool
}

func (h *heldStatus) WriteHeader(status int) {
	if h.status == 0 {
		h.status = status
	}
}

func (h *heldStatus) send() {
	if !h.sent && h.status != 0 {
		h.ResponseWriter.WriteHeader(h.status)
	}
	h.sent = true
}

func (h *heldStatus) Write(text []byte) (int, error) {
	h.send()
	return h.ResponseWriter.Write(text)
}

// Flush sends what there is, for streams.
func (h *heldStatus) Flush() {
	h.send()
	http.NewResponseController(h.ResponseWriter).Flush()
}

// Unwrap gives what is below, for deadlines.
func (h *heldStatus) Unwrap() http.ResponseWriter { return h.ResponseWriter }

// writeJSON writes an answer as encoding/json would, in a third of its time. One with a number that is none, as an
// overflow leaves it, is refused with 422 instead.
func writeJSON(w io.Writer, v any) error {
	var out bytes.Buffer
	encoder := fastjson.NewEncoder(&out)
	encoder.SetEscapeHTML(false)
	err := encoder.Encode(v)
	held, kept := w.(*heldStatus)
	if err != nil && kept && !held.sent {
		problem := &Problem{Status: http.StatusUnprocessableEntity, Title: "No number", Code: "overflow",
			Detail: "What was given leads to a number that is too large to be written: look at the figures that were entered last."}
		held.status = problem.Status
		held.Header().Set("Content-Type", problem.ContentType(""))
		return json.NewEncoder(w).Encode(problem)
	}
	if err != nil {
		return err
	}
	_, err = w.Write(out.Bytes())
	return err
}

// largest is the largest number that a request may hold: what is reckoned with it stays a number.
const largest = 1e15

// tooLarge begins what is said of one that is larger.
const tooLarge = "is too large a number"

// readJSON reads what is sent to us. A number that is too large is refused by its name.
func readJSON(text []byte, v any) error {
	if err := json.Unmarshal(text, v); err != nil {
		if strings.Contains(err.Error(), "cannot unmarshal number") {
			return fmt.Errorf("a number %s: %w", tooLarge, err)
		}
		return err
	}
	if parsed, ok := v.(*any); ok {
		if where := beyond(*parsed, nil); where != nil {
			slices.Reverse(where)
			return fmt.Errorf("%s %s: at most %g", strings.Join(where, "."), tooLarge, float64(largest))
		}
	}
	return nil
}

// beyond is the path to a number that is too large, from its end; nil where there is none.
func beyond(v any, name []string) []string {
	switch v := v.(type) {
	case float64:
		if math.Abs(v) > largest {
			return append([]string{}, name...)
		}
	case map[string]any:
		for key, inside := range v {
			if found := beyond(inside, []string{key}); found != nil {
				return append(found, name...)
			}
		}
	case []any:
		for i, inside := range v {
			if found := beyond(inside, []string{fmt.Sprint(i)}); found != nil {
				return append(found, name...)
			}
		}
	}
	return nil
}
