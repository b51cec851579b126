package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerLookBacks(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"look-backs", http.MethodGet, "/api/look-backs", "Bad findings that are followed up",
		person.Look, 0, nil},
		func(ctx context.Context, in *struct {
			Closed bool `query:"closed"`
		}) (out []workshop.LookBackBrief, err error) {
			return shop.LookBacks(ctx, in.Closed)
		})
	serve(api, operation{"look-back", http.MethodGet, "/api/look-backs/{id}", "One of them, with what it touches",
		person.Look, 0, nil},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"120"`
		}) (out workshop.LookBackView, err error) {
			return shop.LookBack(in.ID)
		})
	serve(api, operation{"open-look-back", http.MethodPost, "/api/look-backs", "A reference was found out",
		person.OpenLookBacks, 0, nil},
		func(ctx context.Context, in *struct{ Body workshop.ReferenceFound }) (out workshop.LookBackView, err error) {
			if err := shop.ReferenceFound(in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.LookBack(in.Body.ID)
		})
	serve(api, operation{"change-notice", http.MethodPost, "/api/look-backs/{id}/notices/{notice}",
		"A notice was sent, or answered", person.SendNotices, 0, nil},
		func(ctx context.Context, in *struct {
			ID     string `path:"id" maxLength:"120"`
			Notice string `path:"notice" maxLength:"160"`
			Body   workshop.NoticeOrder
		}) (out workshop.LookBackView, err error) {
			if err := shop.ChangeNotice(in.ID, in.Notice, in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.LookBack(in.ID)
		})
	serve(api, operation{"close-look-back", http.MethodPost, "/api/look-backs/{id}/close",
		"Everyone has answered: close it", person.CloseLookBacks, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"120"`
			Body struct {
				Conclusion string `json:"conclusion" maxLength:"4000"`
			}
		}) (out workshop.LookBackView, err error) {
			if err := shop.CloseLookBack(in.ID, in.Body.Conclusion, who(ctx)); err != nil {
				return out, err
			}
			return shop.LookBack(in.ID)
		})
}
