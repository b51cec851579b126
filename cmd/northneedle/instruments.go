package main

import (
	"context"
	"errors"
	"fmt"
	"northneedle/internal/capture"
	"northneedle/internal/definition"
	"northneedle/internal/demo"
	"northneedle/internal/instrument"
	"northneedle/internal/sim"
	"os"
	"os/signal"
	"syscall"
	"time"
)

type standins struct {
	Ports    int  `default:"8361" help:"First port."`
	Dialects bool `help:"Only one instrument in each other dialect, on TCP and on a pseudo-terminal: a balance, an analyser, a printer, a logger."`
}

// Run runs the stand-ins until it is told to stop.
func (s standins) Run() error {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	clock := capture.WallClock{Time: time.Now}
	if s.Dialects {
		return s.dialects(ctx, clock)
	}
	all, err := demo.StartInstruments(ctx, s.Ports, clock)
	if err != nil {
		return err
	}
	for _, i := range all {
		fmt.Printf("%-30s %-6s tcp:%s  profile %s\n", i.Name, i.Belongs, i.Address, i.Profile)
	}
	for _, i := range all {
		i.Server.Wait()
	}
	return nil
}

// dialects runs one instrument in each of the dialects that are not our own.
func (s standins) dialects(ctx context.Context, clock capture.WallClock) error {
	for n, d := range sim.Dialects {
		server, own, err := sim.ServeDialect(ctx, d.Kind, demo.World(), clock)
		if err != nil {
			return err
		}
		defer server.Wait()
		address, err := server.Listen(ctx, fmt.Sprintf("127.0.0.1:%d", s.Ports+100+n), d.Dialect)
		if err != nil {
			return err
		}
		port, err := server.Terminal(ctx, d.Dialect)
		if err != nil {
			port = "none: " + err.Error()
		}
		fmt.Printf("profile %-16s tcp:%s  serial:%s  (its key, its pump: tcp:%s, our own lines)\n", d.Profile, address, port, own)
	}
	<-ctx.Done()
	return nil
}

type instrumentCmd struct {
	Try tryInstrument `cmd:"" help:"Try a profile against an instrument: every line, both ways."`
}

type tryInstrument struct {
	Profile string        `arg:"" help:"A profile's file, or the id of one that ships."`
	Address string        `arg:"" help:"tcp:host:port, or serial:/dev/ttyUSB0."`
	For     time.Duration `default:"10s" help:"How long."`
	Send    []string      `help:"Lines to send, one after another."`
}

// Run connects, and prints what is sent and what comes.
func (t tryInstrument) Run() error {
	p, err := profileNamed(t.Profile)
	if err != nil {
		return err
	}
	at, err := instrument.ParseAddress(t.Address)
	if err != nil {
		return err
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	ctx, cancel := context.WithTimeout(ctx, t.For)
	defer cancel()
	link := instrument.Dial(ctx, p.Title, at, p, instrument.DefaultTiming, time.Now)
	defer func() { <-link.Done() }()
	_ = link.Listen(ctx) // it is not connected yet: it is started then
	printed, state := 0, instrument.State("")
	for ctx.Err() == nil {
		select {
		case <-ctx.Done():
		case <-time.After(100 * time.Millisecond):
		}
		for _, line := range link.Console(printed) {
			way := map[bool]string{true: "→", false: "←"}[line.Sent]
			fmt.Printf("%s %s %s\n", line.At.Format("15:04:05.000"), way, line.Text)
			printed = line.N
		}
		status := link.Status()
		if status.State != state {
			state = status.State
			fmt.Printf("%s   %s\n", time.Now().Format("15:04:05.000"), status.Words)
		}
		if state == instrument.Alive && len(t.Send) > 0 {
			if _, err := link.Try(ctx, t.Send[0]); err != nil {
				fmt.Println(err)
			}
			t.Send = t.Send[1:]
		}
	}
	for _, c := range p.Channels {
		if samples, total := link.Samples(c.ID, 0); total > 0 {
			fmt.Printf("%s: %d readings, the last %g %s\n", c.ID, total, samples[len(samples)-1].V, c.Unit)
		} else {
			fmt.Printf("%s: no reading\n", c.ID)
		}
	}
	if state != instrument.Alive {
		return errors.New("the instrument is not connected as its profile says")
	}
	return nil
}

// profileNamed is the profile in a file, or the one that ships by an id.
func profileNamed(name string) (*instrument.Profile, error) {
	if text, err := os.ReadFile(name); err == nil {
		return definition.ReadProfile(name, text)
	}
	all, err := definition.Profiles("")
	if err != nil {
		return nil, err
	}
	if p := instrument.Find(all, name); p != nil {
		return p, nil
	}
	return nil, fmt.Errorf("%s is no file, and no profile of that id ships", name)
}
