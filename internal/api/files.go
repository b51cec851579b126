package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/files"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

// FilesOf says whose files are meant.
type FilesOf struct {
	Of string `query:"of" enum:"device,reference" required:"true"`
	ID string `query:"id" required:"true" maxLength:"60" doc:"of the device or reference, or its tag"`
}

func registerFiles(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"files", http.MethodGet, "/api/files", "The documents and pictures of a device or reference",
		person.Look, 0, nil},
		func(_ context.Context, in *FilesOf) (workshop.FilesView, error) { return shop.Files(in.Of, in.ID) })
	serveUpload(api, operation{"add-file", http.MethodPost, "/api/files", "Keep a document or picture of a device or reference",
		person.KeepFiles, files.Largest, nil}.as("application/octet-stream"),
		func(ctx context.Context, in *struct {
			FilesOf
			Name    string `query:"name" maxLength:"400" doc:"of the file"`
			Note    string `query:"note" maxLength:"400" doc:"what it is"`
			Photo   bool   `query:"photo" doc:"it is a photograph (JPEG or PNG): it is kept as a JPEG of at most 300 kB, turned as its camera says, and without anything else of the file"`
			RawBody []byte `contentType:"application/octet-stream"`
		}) (out workshop.FilesView, err error) {
			order := workshop.FileOrder{Of: in.Of, ID: in.ID, Name: in.Name, Note: in.Note, Photo: in.Photo}
			if err := shop.AddFile(order, in.RawBody, who(ctx)); err != nil {
				return out, err
			}
			return shop.Files(in.Of, in.ID)
		})
	serveFile(api, operation{"file", http.MethodGet, "/api/files/{id}", "A document or picture", person.Look, 0,
		nil}.as("application/pdf", "image/jpeg", "image/png", "text/plain"),
		func(_ context.Context, in *struct {
			ID string `path:"id" maxLength:"60"`
		}) (workshop.File, error) {
			return shop.FileContent(in.ID)
		})
	serveNothing(api, operation{"end-file", http.MethodPost, "/api/files/{id}/end",
		"Take a document or picture off the list; it stays in the record", person.KeepFiles, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"60"`
			Body struct {
				Reason string `json:"reason" maxLength:"400"`
			}
		}) error {
			return shop.EndFile(in.ID, in.Body.Reason, who(ctx))
		})
	serveFile(api, operation{"all-files", http.MethodGet, "/api/files.zip", "All documents and pictures, with a list of them",
		person.Backup, 0, nil}.as("application/zip"),
		func(ctx context.Context, _ *struct{}) (workshop.File, error) { return shop.AllFiles(who(ctx)) })
	serve(api, operation{"file-room", http.MethodGet, "/api/house/files", "How much room there is for documents and pictures",
		person.LookHouse, 0, nil},
		func(_ context.Context, _ *struct{}) (files.Room, error) { return shop.FileRoom() })
	serve(api, operation{"set-file-room", http.MethodPost, "/api/house/files", "Set how much room there is for them",
		person.Backup, 0, nil},
		func(ctx context.Context, in *struct{ Body files.Room }) (files.Room, error) {
			if err := shop.SetFileRoom(in.Body, who(ctx)); err != nil {
				return files.Room{}, err
			}
			return shop.FileRoom()
		})
}
