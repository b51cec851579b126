// Command northneedle is the product: the server, its demo, the simulated
// instruments, and the care of the record.
package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	_ "net/http/pprof" // registers itself; served only where a profile is asked for
	"os"
	"os/signal"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/internal/api"
	"northneedle/internal/capture"
	"northneedle/internal/definition"
	"northneedle/internal/demo"
	"northneedle/internal/ledger"
	"northneedle/internal/people"
	"northneedle/internal/seal"
	"northneedle/internal/sim"
	"northneedle/internal/workshop"

	"github.com/alecthomas/kong"
	"github.com/coreos/go-systemd/v22/daemon"
)

// version is set when a release is built.
var version = "development"

type place struct {
	Data string `env:"NEEDLE_DATA" default:"needle-data" help:"Folder the record is kept in." type:"path"`
}

type network struct {
	place
	keeping
	Addr        string   `env:"NEEDLE_ADDR" default:"localhost:8360" help:"Address to serve on."`
	TLSCert     string   `placeholder:"FILE" type:"existingfile" help:"Certificate to encrypt with (PEM, with those above it)."`
	TLSKey      string   `placeholder:"FILE" type:"existingfile" help:"Key of the certificate (PEM)."`
	BehindProxy bool     `help:"A proxy in front encrypts: what it forwards (X-Forwarded-For, -Host, -Proto) is believed. Nobody else may reach this address."`
	Directory   string   `placeholder:"FILE" type:"existingfile" help:"How people of the hospital's directory sign in (OpenID Connect): docs/operations.md shows such a file."`
	Mail        string   `placeholder:"FILE" type:"existingfile" help:"By which mail server people are told, and as whom: docs/operations.md shows such a file."`
	Hosts       []string `placeholder:"NAME" help:"Names that are served, with the port where it is not the usual one; left out: any."`

	Backups          string `placeholder:"FOLDER" env:"NEEDLE_BACKUPS" help:"Write a copy a day into this folder, on another disk, and try to put it back." type:"path"`
	Keep             int    `default:"14" help:"How many of these copies are kept."`
	BackupPassphrase string `placeholder:"FILE" type:"existingfile" help:"File with the passphrase that these copies are encrypted under."`

	Profile string `placeholder:"ADDRESS" help:"Also serve where the time and the memory go (pprof) on this address: never one that others reach."`
}

var commands struct {
	Serve      serve         `cmd:"" help:"Serve the workshop's record."`
	Demo       demoCmd       `cmd:"" help:"Serve a made-up health service, with simulated instruments."`
	Standins   standins      `cmd:"" help:"Run the simulated instruments by themselves."`
	Instrument instrumentCmd `cmd:"" help:"Try an instrument."`
	Backup     backupCmd     `cmd:"" help:"Copy everything but the private key to a file, while it is in use."`
	Restore    restore       `cmd:"" help:"Put a backup in the place of the record, after checking its chain."`
	Verify     verify        `cmd:"" help:"Check the whole record: its chain, its registers, and what was signed of it; name the first thing that does not hold."`
	Paper      verifyPaper   `cmd:"" name:"verify-paper" help:"Check a certificate by the workshop's public keys, without its record."`
	Key        struct {
		Export keyExport `cmd:"" help:"Write the workshop's key to a file, under a passphrase."`
		Import keyImport `cmd:"" help:"Put an exported key where there is none."`
	} `cmd:"" help:"The key that the record and the papers are signed with."`
	People struct {
		Add peopleAdd `cmd:"" help:"Register someone who may sign in; the password is read from standard input."`
	} `cmd:"" help:"Who may sign in."`
	Generate generate `cmd:"" help:"Fill a folder with many made-up devices and readings, to measure with."`
	Openapi  openapi  `cmd:"" help:"Print the description of the API."`
	Check    check    `cmd:"" help:"Check procedure files, and try each on a simulated device."`
	Version  show     `cmd:"" help:"Print the version."`
}

func main() {
	ctx := kong.Parse(&commands, kong.Name("northneedle"),
		kong.Description("Verify and calibrate medical devices against reference standards."), kong.UsageOnError())
	ctx.FatalIfErrorf(ctx.Run())
}

type serve struct{ network }

// Run serves until it is told to stop.
func (s serve) Run() error {
	return s.run(false, capture.WallClock{Time: time.Now}, nil)
}

func (n network) run(isDemo bool, clock capture.WallClock,
	fill func(*ledger.Ledger, []*procedure.Procedure) error) error {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	all, err := definition.All(filepath.Join(n.Data, "procedures"))
	if err != nil {
		return fmt.Errorf("procedures with mistakes; nothing was started:\n%w", err)
	}
	duties, err := definition.Duties(filepath.Join(n.Data, "procedures"))
	if err != nil {
		return fmt.Errorf("what recurs, with mistakes; nothing was started:\n%w", err)
	}
	certificate, err := n.certificate()
	if err != nil {
		return err
	}
	free, err := alone(n.Data)
	if err != nil {
		return err
	}
	defer free()
	l, err := ledger.Open(n.Data)
	if err != nil {
		return err
	}
	defer l.Close()
	if err := demoPeople(l, isDemo); err != nil {
		return err
	}
	if fill != nil {
		if err := fill(l, all); err != nil {
			return err
		}
	}
	profiles, err := definition.Profiles(filepath.Join(n.Data, "instruments"))
	if err != nil {
		return fmt.Errorf("profiles of instruments with mistakes; nothing was started:\n%w", err)
	}
	signs, err := seal.New(n.folder(n.Data), n.Checkpoints)
	if err != nil {
		return err
	}
	if signs.Made {
		slog.Info("a key was made for this workshop: export it to a safe (northneedle key export FILE)", "folder",
			n.folder(n.Data))
	}
	shop := &workshop.Workshop{
		Seal:       signs,
		Ledger:     l,
		Bench:      capture.NewDriver(clock),
		Profiles:   profiles,
		TryOut:     sim.TryOut,
		Procedures: all,
		Duties:     duties,
		Folder:     filepath.Join(n.Data, "procedures"),
		Clock:      clock.Time,
		Speed:      clock.Speed,
		Demo:       isDemo,
		Version:    version,
	}
	if shop.Backups, err = n.schedule(l, shop); err != nil {
		return err
	}
	if shop.Post, err = n.post(isDemo); err != nil {
		return err
	}
	if shop.StartCode, err = startCode(l, isDemo); err != nil {
		return err
	}
	server := api.New(shop, api.Transport{TLS: certificate != nil, BehindProxy: n.BehindProxy, Hosts: n.Hosts})
	if n.Directory != "" {
		if err := useDirectory(server, n.Directory); err != nil {
			return err
		}
	}
	if err := shop.Connect(ctx); err != nil {
		return err
	}
	daily := make(chan struct{})
	go func() { defer close(daily); shop.KeepDaily(ctx) }()
	posting := make(chan struct{})
	go func() { defer close(posting); shop.KeepPosting(ctx) }()
	if n.Profile != "" {
		go func() { slog.Error("no profiles", "error", http.ListenAndServe(n.Profile, nil)) }()
	}
	listener, err := net.Listen("tcp", n.Addr)
	if err == nil {
		scheme := "http://"
		if certificate != nil {
			scheme = "https://"
		}
		slog.Info("North Needle is ready", "address", scheme+n.Addr, "data", n.Data)
		if shop.StartCode != "" {
			slog.Info("nobody is registered yet: open the address and begin there with this code", "code", shop.StartCode)
		}
		daemon.SdNotify(false, daemon.SdNotifyReady)
		err = server.Serve(ctx, listener, certificate)
	}
	stop()
	<-daily
	<-posting
	return errors.Join(err, server.Close())
}

type demoCmd struct {
	network
	Fresh bool   `help:"Start over: remove the demo's data first."`
	Seed  uint64 `default:"1" help:"Seed of the made-up data."`
	Ports int    `default:"8361" help:"First port of the simulated instruments; 0 takes free ones."`

	Fill  bool    `help:"Only fill a new record with the made-up data, and stop."`
	Speed float64 `default:"1" help:"How many of the workshop's seconds pass in a real one: waits and simulated instruments run faster."`
}

// Run serves the demo.
func (d demoCmd) Run() error {
	if d.Fresh {
		for _, suffix := range []string{"", "-wal", "-shm"} {
			if err := os.Remove(filepath.Join(d.Data, ledger.File+suffix)); err != nil &&
				!errors.Is(err, os.ErrNotExist) {
				return err
			}
		}
	}
	if d.Fresh { // nothing that was signed of the demo before is of the new one
		if err := os.Remove(filepath.Join(d.folder(d.Data), seal.CheckpointFile)); err != nil && !errors.Is(err,
			os.ErrNotExist) {
			return err
		}
	}
	if !(d.Speed > 0 && d.Speed <= 1000) {
		return fmt.Errorf("speed: %g is not above 0 and at most 1000", d.Speed)
	}
	if d.Fill {
		return d.fill()
	}
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	clock := capture.WallClock{Time: time.Now}
	if d.Speed != 1 {
		clock = capture.Faster(d.Speed)
	}
	standIns, err := demo.StartInstruments(ctx, d.Ports, clock)
	if err != nil {
		return err
	}
	defer func() {
		stop()
		for _, s := range standIns {
			s.Server.Wait()
		}
	}()
	var instruments []ledger.Instrument
	for _, s := range standIns {
		instruments = append(instruments, s.Instrument)
	}
	return d.run(true, clock, func(l *ledger.Ledger, all []*procedure.Procedure) error {
		everyone, err := l.People()
		if err != nil {
			return err
		}
		if len(everyone) > 0 {
			for _, i := range instruments {
				kept, err := l.Instrument(i.ID)
				if err == nil && (kept.Retired || kept.Profile != i.Profile || kept.Transport != i.Transport) {
					continue // it was connected otherwise on the page
				}
				if err := l.Save(&i); err != nil {
					return err
				}
			}
			return nil
		}
		slog.Info("filling a new record with made-up data")
		return demo.Fill(l, all, instruments, workshop.DemoPassword, d.Seed, time.Now())
	})
}

// fill fills a new record.
func (d demoCmd) fill() error {
	all, err := definition.Shipped()
	if err != nil {
		return err
	}
	l, err := ledger.Open(d.Data)
	if err != nil {
		return err
	}
	defer l.Close()
	return demo.Fill(l, all, nil, workshop.DemoPassword, d.Seed, time.Now())
}

type peopleAdd struct {
	place
	Name string `required:"" help:"Full name."`
	Role string `required:"" enum:"trainee,technician,lead,manager,administrator" help:"trainee, technician, lead, manager or administrator; the last keeps people and copies, and signs nothing."`
}

// Run registers a person.
func (p peopleAdd) Run() error {
	fmt.Fprint(os.Stderr, "Password (at least 12 characters): ")
	password, err := bufio.NewReader(os.Stdin).ReadString('\n')
	if err != nil && password == "" {
		return fmt.Errorf("no password was given on standard input")
	}
	l, err := ledger.Open(p.Data)
	if err != nil {
		return err
	}
	defer l.Close()
	everyone, err := l.Everyone()
	if err != nil {
		return err
	}
	add := people.Register // whoever comes later changes the password that they are given
	if len(everyone) == 0 {
		add = people.Add
	}
	for _, other := range everyone {
		if people.NameKey(other.Name) == people.NameKey(p.Name) {
			return fmt.Errorf("there is a %s already: add a second name", other.Name)
		}
	}
	return add(l, ledger.Act{Kind: "person added", By: ledger.Nobody, At: time.Now()}, p.Name,
		person.Role(p.Role), strings.TrimRight(password, "\r\n"))
}

type generate struct {
	place
	Assets   int    `default:"50000" help:"How many devices."`
	Readings int    `default:"1000000" help:"How many results."`
	Seed     uint64 `default:"1"`
}

// Run generates.
func (g generate) Run() error {
	l, err := ledger.Open(g.Data)
	if err != nil {
		return err
	}
	defer l.Close()
	return demo.Generate(l, g.Assets, g.Readings, g.Seed, time.Now(),
		func(done string) { fmt.Fprintln(os.Stderr, done) })
}

type openapi struct{}

// Run prints the description.
func (openapi) Run() error {
	text, err := api.Description()
	if err != nil {
		return err
	}
	_, err = os.Stdout.Write(text)
	return err
}

type check struct {
	Files []string `arg:"" type:"existingfile" help:"Procedure files in YAML."`
}

// Run checks files, and tries each on a simulated device: what is in order here can be run.
func (c check) Run() error {
	var all []error
	for _, file := range c.Files {
		text, err := os.ReadFile(file)
		if err != nil {
			return err
		}
		p, err := definition.Read(file, text)
		if err == nil {
			err = definition.Meets(file, text)
		}
		if err != nil {
			all = append(all, err)
			continue
		}
		if _, err := sim.TryOut(p, workshop.DefaultLab(), time.Now()); err != nil {
			all = append(all, fmt.Errorf("%s: it reads well, and stops when it is tried on a simulated device: %w", file, err))
			continue
		}
		fmt.Printf("%s: %s, revision %d, is in order: it was tried on a simulated device to its end\n", file, p.ID, p.Revision)
	}
	return errors.Join(all...)
}

type show struct{}

// Run prints the version.
func (show) Run() error {
	fmt.Println("northneedle", version)
	return nil
}
