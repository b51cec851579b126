package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/instrument"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

// InstrumentPath names an instrument by its id.
type InstrumentPath struct {
	ID string `path:"id" maxLength:"60"`
}

// InstrumentAnswer is what an instrument answered to what was tried.
type InstrumentAnswer struct {
	Answer string `json:"answer"`
}

func registerInstruments(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"instruments", http.MethodGet, "/api/instruments",
		"The instruments that are connected, and the state of their links", person.Look, 0, nil},
		func(context.Context, *struct{}) ([]workshop.InstrumentView, error) { return shop.Instruments() })
	serve(api, operation{"instrument", http.MethodGet, "/api/instruments/{id}",
		"One instrument: what its profile knows, and what it shows now", person.Look, 0, nil},
		func(_ context.Context, in *InstrumentPath) (workshop.InstrumentDetail, error) {
			return shop.Instrument(in.ID)
		})
	serve(api, operation{"instrument-console", http.MethodGet, "/api/instruments/{id}/console",
		"What was sent to an instrument and what came, with times", person.Look, 0, nil},
		func(_ context.Context, in *struct {
			InstrumentPath
			After int `query:"after" minimum:"0" doc:"lines after this number"`
		}) ([]instrument.ConsoleLine, error) {
			return shop.InstrumentConsole(in.ID, in.After)
		})
	serve(api, operation{"register-instrument", http.MethodPost, "/api/instruments",
		"Register an instrument, and connect it", person.KeepInstruments, 0, nil},
		func(ctx context.Context, in *struct{ Body workshop.NewInstrument }) (out workshop.InstrumentDetail, err error) {
			if err := shop.RegisterInstrument(in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.Instrument(in.Body.ID)
		})
	serve(api, operation{"change-instrument", http.MethodPut, "/api/instruments/{id}",
		"Change how an instrument is connected, or whose it is", person.KeepInstruments, 0, nil},
		func(ctx context.Context, in *struct {
			InstrumentPath
			Body struct {
				workshop.InstrumentBody
				Why string `json:"why" maxLength:"1000"`
			}
		}) (out workshop.InstrumentDetail, err error) {
			if err := shop.ChangeInstrument(in.ID, in.Body.InstrumentBody, in.Body.Why, who(ctx)); err != nil {
				return out, err
			}
			return shop.Instrument(in.ID)
		})
	serve(api, operation{"retire-instrument", http.MethodPost, "/api/instruments/{id}/retire",
		"End the link of an instrument for good", person.KeepInstruments, 0, nil},
		func(ctx context.Context, in *struct {
			InstrumentPath
			Body struct {
				Why string `json:"why" maxLength:"1000"`
			}
		}) (out workshop.InstrumentDetail, err error) {
			if err := shop.RetireInstrument(in.ID, in.Body.Why, who(ctx)); err != nil {
				return out, err
			}
			return shop.Instrument(in.ID)
		})
	serve(api, operation{"try-instrument", http.MethodPost, "/api/instruments/{id}/try",
		"Send something to an instrument that no run holds", person.TryInstruments, 0, nil},
		func(ctx context.Context, in *struct {
			InstrumentPath
			Body workshop.InstrumentTry
		}) (out InstrumentAnswer, err error) {
			out.Answer, err = shop.TryInstrument(ctx, in.ID, in.Body)
			return out, err
		})
	serve(api, operation{"instrument-profiles", http.MethodGet, "/api/instrument-profiles",
		"The profiles by which instruments are spoken to", person.Look, 0, nil},
		func(context.Context, *struct{}) ([]workshop.ProfileView, error) { return shop.ProfileList(), nil })
	serve(api, operation{"serial-ports", http.MethodGet, "/api/serial-ports",
		"The serial ports of the machine that the server runs on", person.KeepInstruments, 0, nil},
		func(context.Context, *struct{}) ([]string, error) { return instrument.Ports(), nil })
}
