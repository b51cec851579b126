package api

import (
	"context"
	"encoding/json"
	"io"
	"log/slog"
	"mime"
	"net/http"
	"slices"
	"strings"
	"time"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

// operation says one operation of the API, who may use it, and how it is done.
type operation struct {
	id, method, path string
	summary          string
	may              person.Action
	maxBody          int64 // 0: the usual limit
	types            []string
}

// as is the operation with a file of one of these media types for its answer, or its request.
func (op operation) as(types ...string) operation {
	op.types = types
	return op
}

// serve registers an operation that answers with one value; where there is an error, there is no
// value beside it.
func serve[I, O any](api huma.API, op operation, do func(context.Context, *I) (O, error)) {
	huma.Register(api, op.described(), answering(do))
}

// answering wraps what an operation does: its value becomes the body, its error a problem.
func answering[I, O any](do func(context.Context, *I) (O, error)) func(context.Context, *I) (*struct{ Body O }, error) {
	return func(ctx context.Context, in *I) (*struct{ Body O }, error) {
		out, err := do(ctx, in)
		if err != nil {
			return nil, fail(err)
		}
		return &struct{ Body O }{out}, nil
	}
}

// serveNothing registers an operation that answers with nothing.
func serveNothing[I any](api huma.API, op operation, do func(context.Context, *I) error) {
	huma.Register(api, op.described(), func(ctx context.Context,
		in *I) (*struct{}, error) {
		return nil, fail(do(ctx, in))
	})
}

// file is how a file is answered.
type file struct {
	ContentType string `header:"Content-Type"`
	Disposition string `header:"Content-Disposition"`
	Body        func(huma.Context)
}

// sent is a file as it is answered.
func sent(f workshop.File) *file {
	way := "inline"
	if f.Save {
		way = "attachment"
	}
	return &file{f.Type, mime.FormatMediaType(way, map[string]string{"filename": f.Name}), func(ctx huma.Context) {
		if f.From == nil {
			ctx.BodyWriter().Write(f.Body)
			return
		}
		defer f.From.Close()
		if _, err := io.Copy(ctx.BodyWriter(), f.From); err != nil {
			slog.Warn("a file was not sent whole", "file", f.Name, "error", err)
		}
	}}
}

// serveFile registers an operation that answers with a file.
func serveFile[I any](api huma.API, op operation, do func(context.Context, *I) (workshop.File, error)) {
	described := op.described()
	described.Responses = map[string]*huma.Response{"200": {Description: "The file", Content: op.files()}}
	huma.Register(api, described, func(ctx context.Context, in *I) (*file, error) {
		out, err := do(ctx, in)
		if err != nil {
			if out.From != nil {
				out.From.Close()
			}
			return nil, fail(err)
		}
		return sent(out), nil
	})
}

// uploadTime is how long a file may take to come.
const uploadTime = 10 * time.Minute

// serveUpload registers an operation that takes a whole file and answers with one value.
func serveUpload[I, O any](api huma.API, op operation, do func(context.Context, *I) (O, error)) {
	described := op.described()
	described.SkipValidateBody, described.BodyReadTimeout = true, uploadTime
	described.RequestBody = &huma.RequestBody{Required: true, Content: op.files()}
	huma.Register(api, described, answering(do))
}

// files are the media types of the operation's file.
func (op operation) files() map[string]*huma.MediaType {
	content := map[string]*huma.MediaType{}
	for _, t := range op.types {
		content[t] = &huma.MediaType{Schema: &huma.Schema{Type: "string", Format: "binary"}}
	}
	return content
}

// permitted lets only those through who may by the table of permissions; it is asked before anything
// of the request is read.
func (op operation) permitted(ctx huma.Context, next func(huma.Context)) {
	if t, program := byToken(ctx.Context()); program {
		if op.may != person.Look || op.method != http.MethodGet || len(t.Only) > 0 && !slices.Contains(t.Only, op.id) {
			ctx.SetHeader("Content-Type", (&Problem{}).ContentType(""))
			ctx.SetStatus(http.StatusForbidden)
			json.NewEncoder(ctx.BodyWriter()).Encode(&Problem{Status: http.StatusForbidden,
				Title: "Not for this token", Code: "token",
				Detail: "A program reads, and only what its token is for."})
			return
		}
		next(ctx)
		return
	}
	if op.may == person.Public || person.Can(who(ctx.Context()).Role, op.may) {
		next(ctx)
		return
	}
	problem := fail(workshop.NotYours(op.may)).(*Problem)
	ctx.SetHeader("Content-Type", problem.ContentType(""))
	ctx.SetStatus(problem.Status)
	json.NewEncoder(ctx.BodyWriter()).Encode(problem)
}

// described is the operation as OpenAPI has it: its tag, the problems it may answer with, and
// that it asks for a session.
func (op operation) described() huma.Operation {
	section, _, _ := strings.Cut(strings.TrimPrefix(op.path, "/api/"), "/")
	section, _, _ = strings.Cut(section, ".")
	d := huma.Operation{
		OperationID:  op.id,
		Method:       op.method,
		Path:         op.path,
		Summary:      op.summary,
		Tags:         []string{section},
		MaxBodyBytes: op.maxBody,
		Errors:       []int{http.StatusUnprocessableEntity},
		Metadata:     map[string]any{"may": op.may},
		Middlewares:  huma.Middlewares{op.permitted},
	}
	if op.may != person.Public {
		d.Security = []map[string][]string{{"session": {}}}
		d.Errors = append(d.Errors, http.StatusUnauthorized, http.StatusForbidden)
	}
	if strings.Contains(op.path, "{") {
		d.Errors = append(d.Errors, http.StatusNotFound)
	}
	if op.method != http.MethodGet {
		d.Errors = append(d.Errors, http.StatusConflict)
	}
	slices.Sort(d.Errors)
	return d
}
