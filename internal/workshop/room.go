package workshop

import (
	"time"

	"northneedle/core/procedure"
	"northneedle/core/run"
)

// roomHolds is for how long what was read of a room is offered again there.
const roomHolds = time.Hour

// RoomOffer is what a run's room can be recorded from.
type RoomOffer struct {
	Instruments []string   `json:"instruments" doc:"tags of the room instruments of the register"`
	Last        *RoomSince `json:"last,omitempty" doc:"what was recorded in this room within the hour"`
}

// RoomSince is what was recorded of a room in another run.
type RoomSince struct {
	Ambient procedure.Ambient `json:"ambient"`
	At      time.Time         `json:"at"`
	By      string            `json:"by"`
	Tag     string            `json:"tag" doc:"of the device that it was recorded for"`
}

// Room offers what was recorded last in a run's room, within the hour, and the room instruments there are.
func (ws *Workshop) Room(id string) (offer RoomOffer, err error) {
	offer.Instruments = []string{}
	row, err := ws.Ledger.RunRow(id)
	if err != nil {
		return offer, err
	}
	all, err := ws.Ledger.Standards(roomKind)
	if err != nil {
		return offer, err
	}
	for _, s := range all {
		offer.Instruments = append(offer.Instruments, s.Tag)
	}
	since := ws.Clock().Add(-roomHolds)
	near, err := ws.Ledger.RunsNear(row.Site, row.Place, since.Add(-8*time.Hour), 20)
	if err != nil {
		return offer, err
	}
	for _, other := range near {
		if other.ID == id {
			continue
		}
		r, err := ws.Ledger.Run(other.ID)
		if err != nil {
			return offer, err
		}
		if at, by, recorded := roomOf(r); recorded && at.After(since) && (offer.Last == nil || at.After(offer.Last.At)) {
			offer.Last = &RoomSince{r.Ambient, at, by, r.Device.Tag}
		}
	}
	return offer, nil
}

// roomOf is when a run's room was recorded, and by whom.
func roomOf(r run.Run) (at time.Time, by string, recorded bool) {
	for _, s := range r.Procedure.Steps {
		if mark, done := r.Marks[s.Base().ID]; done && s.Kind() == procedure.StepAmbient && r.Ambient.Recorded {
			at, by, recorded = mark.At, mark.By.Name, true
		}
	}
	return at, by, recorded
}
