package api

import (
	"context"
	"io"
	"net/http"
	"time"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

// The largest whole run, and the largest backup, that are read.
const (
	maxRecord = 8 << 20
	maxBackup = 2 << 30
)

type uploaded struct {
	Go      bool `query:"go" doc:"do it; left out it is only looked at"`
	RawBody []byte
}

// streamed is a file that is read as it comes, and never held whole.
type streamed struct {
	Go         bool   `query:"go" doc:"do it; left out it is only looked at"`
	Passphrase string `header:"X-Passphrase" maxLength:"400" doc:"of a backup that is encrypted"`
	body       io.Reader
}

// Resolve takes the body, which may take long to come.
func (s *streamed) Resolve(ctx huma.Context) []error {
	s.body = ctx.BodyReader()
	if err := ctx.SetReadDeadline(time.Now().Add(uploadTime)); err != nil {
		return []error{err}
	}
	return nil
}

func registerRecords(api huma.API, shop *workshop.Workshop) {
	serveUpload(api, operation{"read-record", http.MethodPost, "/api/records",
		"Read a whole run back, check its chain, and take it in", person.Look, maxRecord, nil}.as("application/json"),
		func(ctx context.Context, in *uploaded) (workshop.ReadBackView, error) {
			return shop.ReadBack(in.RawBody, in.Go, who(ctx))
		})
	serveUpload(api, operation{"restore", http.MethodPost, "/api/house/restore",
		"Look at a backup, and put it in the place of the record", person.Restore, maxBackup,
		nil}.as("application/octet-stream"),
		func(ctx context.Context, in *streamed) (workshop.RestoreView, error) {
			return shop.Restore(in.body, in.Passphrase, in.Go, who(ctx))
		})
}
