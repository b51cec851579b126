// Command screenshots takes the pictures in docs/screenshots anew: it starts the
// product on fresh demo data, works through a run, and takes each main view. The page
// of the certificate needs pdftoppm (Debian: poppler-utils).
package main

import (
	"encoding/base64"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"northneedle/e2e/browser"
	"northneedle/internal/workshop"

	"github.com/alecthomas/kong"
)

var options struct {
	Binary string `default:"./northneedle" type:"existingfile"`
	Into   string `default:"docs/screenshots" type:"existingdir"`
}

func main() {
	kong.Parse(&options)
	if err := all(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// demo starts the product on a folder, and returns where it is and how to stop it.
func demo(folder string) (base string, stop func(), err error) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", nil, err
	}
	address := listener.Addr().String()
	listener.Close()
	command := exec.Command(options.Binary, "demo", "--ports", "0")
	command.Env = append(os.Environ(), "NEEDLE_ADDR="+address, "NEEDLE_DATA="+folder)
	command.Stderr = os.Stderr
	if err := command.Start(); err != nil {
		return "", nil, err
	}
	for range 600 {
		if response, err := http.Get("http://" + address + "/api/session"); err == nil {
			response.Body.Close()
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	return "http://" + address, func() { command.Process.Kill(); command.Wait() }, nil
}

func all() error {
	folder, err := os.MkdirTemp("", "screenshots")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	base, stop, err := demo(folder)
	if err != nil {
		return err
	}
	defer stop()
	p, err := browser.Open(base)
	if err != nil {
		return err
	}
	defer browser.Quit()
	s := shooter{p}
	return browser.All(
		func() error { return p.Go("/") },
		func() error { return p.SignIn("Idris Vail", workshop.DemoPassword) },
		s.see("Due within 14 days", "today"),
		s.held(390, 844, "Due within 14 days", "today-phone"),
		s.visit("/equipment", "Show more", "equipment"),
		s.visit("/equipment/MB-0417", "Fingerprint over time", "device"),
		s.held(390, 844, "Fingerprint over time", "device-phone"),
		s.certificate,
		s.visit("/references", "HG-22", "references"),
		s.visit("/references/HG-23", "Gas book", "reference"),
		s.visit("/references/instruments/balance-BL-1", "Every line", "instrument"),
		s.visit("/workings/anatomy", "a gain", "workings"),
		s.run,
		s.visit("/control", "Control run now", "control"),
		s.visit("/rounds/"+ferryDay(), "The year ahead", "rounds"),
		s.visit("/look-back/look-back-HG-19", "Runs that rested on it", "look-back"),
		s.visit("/intervals", "What another interval would mean", "intervals"),
		s.visit("/reports", "Gas used and lost", "reports"),
		s.visit("/house/people", "Who may do what alone", "house"),
	)
}

// ferryDay is the next day on which the scenario's ferry runs.
func ferryDay() string {
	day := time.Now().AddDate(0, 0, 1)
	for day.Weekday() != time.Tuesday && day.Weekday() != time.Thursday {
		day = day.AddDate(0, 0, 1)
	}
	return day.Format(time.DateOnly)
}

type shooter struct{ *browser.Page }

// see waits for a text, then takes a picture.
func (s shooter) see(text, name string) func() error {
	return func() error {
		if err := s.SeeWithin(text, 2*time.Minute); err != nil {
			return err
		}
		time.Sleep(700 * time.Millisecond)
		fmt.Println(name)
		return s.Shot(filepath.Join(options.Into, name+".png"))
	}
}

func (s shooter) visit(path, text, name string) func() error {
	return func() error { return browser.All(func() error { return s.Go(path) }, s.see(text, name)) }
}

// held takes a picture of what is there as a device shows it that is held in the hand.
func (s shooter) held(width, height int, text, name string) func() error {
	return func() error {
		return browser.All(func() error { return s.Hold(width, height) }, s.see(text, name), s.PutDown)
	}
}

// enter waits for each text and presses Enter.
func (s shooter) enter(texts ...string) func() error {
	return func() error {
		for _, text := range texts {
			if err := s.SeeWithin(text, 2*time.Minute); err != nil {
				return err
			}
			time.Sleep(700 * time.Millisecond) // an Enter right after a change of step does nothing
			if err := s.Key("Enter"); err != nil {
				return err
			}
		}
		return nil
	}
}

func (s shooter) write(selector, text string) func() error {
	return func() error {
		return browser.All(func() error { return s.Fill(selector, text) },
			func() error { time.Sleep(600 * time.Millisecond); return s.Key("Enter") })
	}
}

// take takes a point when its trace is steady.
func (s shooter) take(point string) func() error {
	return func() error {
		return browser.All(func() error { return s.SeeWithin(point, 2*time.Minute) }, s.enter("● Steady"),
			func() error { return s.Gone(point) })
	}
}

// certificate takes the first page of the certificate that the device's page links to.
func (s shooter) certificate() error {
	text, err := browser.Eval[string](s.Page,
		`fetch([...document.querySelectorAll('a')].find(a => a.innerText.trim() === 'certificate' && a.closest('li').innerText.includes('pulse oximeter')).href).then(r => r.arrayBuffer()).then(b => btoa(String.fromCharCode(...new Uint8Array(b))))`)
	if err != nil {
		return err
	}
	pdf, err := base64.StdEncoding.DecodeString(text)
	if err != nil {
		return err
	}
	file := filepath.Join(os.TempDir(), "certificate.pdf")
	if err := os.WriteFile(file, pdf, 0o600); err != nil {
		return err
	}
	return exec.Command("pdftoppm", "-r", "80", "-png", "-singlefile", file,
		filepath.Join(options.Into, "certificate")).Run()
}

// run works through the first half of a capnograph's run.
func (s shooter) run() error {
	return browser.All(
		func() error { return s.Go("/equipment/MB-0417") },
		s.enter("Start verification", "Take the first that fits", "I have read them", "Look for cracks",
			"Open a window", "seat it until it clicks", "Start the timer", "Meanwhile"),
		s.write("input[name=temperature]", "21,4"), s.write("input[name=pressure]", "1008"),
		s.write("input[name=humidity]", "46"), s.write("input[name=source]", "RC-01"),
		s.enter("Compare the unit"),
		func() error { return s.Key("t") },
		s.write("textarea", "The device was warm already"),
		s.enter("zero the device by its menu", "A leak at the adapter", "Open the valves of the 5 %"),
		s.take("CO₂ as found: room air"),
		func() error { return s.SeeWithin("● Steady", 2*time.Minute) },
		s.see("CO₂ as found: 5 %", "bench-live"),
		s.held(820, 1180, "● Steady", "bench-tablet"),
		s.take("CO₂ as found: 5 %"), s.take("CO₂ as found: 10 %"), s.take("Breath rate as found: 6"),
		s.take("Breath rate as found: 12"), s.take("Breath rate as found: 30"),
		s.enter("Close as found"),
		s.held(820, 1180, "Advised: adjust", "bench-finding"),
	)
}
