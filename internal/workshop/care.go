package workshop

import (
	"context"
	"fmt"
	"log/slog"
	"path/filepath"
	"time"

	"northneedle/internal/backup"
	"northneedle/internal/seal"
)

// CareView is how the record is looked after: its copies, its disk, and its checkpoints.
type CareView struct {
	Backups    *backup.Copies `json:"backups,omitempty" doc:"those that are made by themselves; none: nobody asked for them"`
	Free       int64          `json:"free" doc:"on the record's disk, in bytes; 0: not known"`
	Total      int64          `json:"total"`
	Warnings   []string       `json:"warnings" doc:"what somebody should see to"`
	Checkpoint *time.Time     `json:"checkpoint,omitempty" doc:"when the workshop's key signed the record last"`
	Key        string         `json:"key,omitempty" doc:"id of the workshop's public key"`
}

// The disk is low where less than either is free.
const (
	lowBytes = 1 << 30
	lowShare = 0.05
)

// late is after how long a backup is missed that is made every day.
const late = 36 * time.Hour

// Care is how the record is looked after.
func (ws *Workshop) Care() (v CareView) {
	v.Warnings = []string{}
	if ws.Backups == nil {
		v.Warnings = append(v.Warnings,
			"No copies are made by themselves: start the server with --backups FOLDER, on another disk.")
	} else {
		state := ws.Backups.State()
		v.Backups = &state
		switch {
		case state.Failed != "":
			v.Warnings = append(v.Warnings, "The last copy is none: "+state.Failed+".")
		case state.Last != nil && ws.Clock().Sub(*state.Last) > late:
			v.Warnings = append(v.Warnings, "The last copy is of "+state.Last.Format("2006-01-02 15:04")+".")
		}
	}
	if free, total, err := backup.Space(filepath.Dir(ws.Folder)); err == nil {
		v.Free, v.Total = free, total
		if free < lowBytes || float64(free) < lowShare*float64(total) {
			v.Warnings = append(v.Warnings,
				fmt.Sprintf("The record's disk is nearly full: %.1f GB are free. When it is full, nothing is recorded any more.", float64(free)/1e9))
		}
	}
	v.Warnings = append(v.Warnings, ws.clockWarnings()...)
	if ws.Seal != nil {
		v.Key = ws.Seal.Public.ID
		if last, ok := ws.Seal.Last(); ok {
			at := last.At.Local()
			v.Checkpoint = &at
		}
	}
	return v
}

// KeepDaily does what is done each day, until the context ends: a checkpoint, and a copy where they are asked for.
func (ws *Workshop) KeepDaily(ctx context.Context) {
	ticker := time.NewTicker(each)
	defer ticker.Stop()
	for {
		ws.daily()
		select {
		case <-ctx.Done():
			if err := ws.checkpoint(); err != nil {
				slog.Error("no checkpoint", "error", err)
			}
			return
		case <-ticker.C:
		}
	}
}

// daily does what is due of it.
func (ws *Workshop) daily() {
	ws.noticeClock()
	if err := ws.takeReleases(); err != nil {
		slog.Error("released procedures are not all in use", "error", err)
	}
	last, ok := seal.Checkpoint{}, false
	if ws.Seal != nil {
		last, ok = ws.Seal.Last()
	}
	if !ok || ws.Clock().Format(time.DateOnly) != last.At.Local().Format(time.DateOnly) {
		if err := ws.checkpoint(); err != nil {
			slog.Error("no checkpoint", "error", err)
		}
	}
	if ws.Backups != nil && ws.Backups.Due() {
		if err := ws.Backups.Run(); err != nil {
			slog.Error("no backup", "error", err)
		}
	}
}
