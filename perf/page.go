package main

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"io/fs"
	"net"
	"net/http"
	"os"
	"os/exec"
	"regexp"
	"strings"
	"time"

	"northneedle/web"
)

var scripts = regexp.MustCompile(`(?:src|href)="/(assets/[^"]+\.js)"`)
var imports = regexp.MustCompile(`(?:from|import)\s*"\./([^"]+\.js)"`)

// firstLoad adds up the scripts that the sign-in page fetches, and those that Today adds.
func firstLoad() error {
	files := web.Files()
	index, err := fs.ReadFile(files, "index.html")
	if err != nil {
		return err
	}
	loaded := map[string]int{}
	for _, m := range scripts.FindAllStringSubmatch(string(index), -1) {
		if err := load(files, m[1], loaded); err != nil {
			return err
		}
	}
	say("scripts of the sign-in page, compressed (aim 150 kB)", "%.1f kB in %d files", total(loaded), len(loaded))
	entries, err := fs.Glob(files, "assets/*.js")
	if err != nil {
		return err
	}
	for _, name := range entries {
		if strings.HasPrefix(name, "assets/HouseShell") || strings.HasPrefix(name, "assets/TodayView") {
			if err := load(files, name, loaded); err != nil {
				return err
			}
		}
	}
	say("with those of Today", "%.1f kB in %d files", total(loaded), len(loaded))
	return nil
}

// load counts a script and what it imports at once; what it imports later does not count.
func load(files fs.FS, name string, loaded map[string]int) error {
	if _, seen := loaded[name]; seen {
		return nil
	}
	text, err := fs.ReadFile(files, name)
	if err != nil {
		return err
	}
	var small bytes.Buffer
	z := gzip.NewWriter(&small)
	if _, err := z.Write(text); err != nil {
		return err
	}
	if err := z.Close(); err != nil {
		return err
	}
	loaded[name] = small.Len()
	for _, m := range imports.FindAllStringSubmatch(string(text), -1) {
		if err := load(files, "assets/"+m[1], loaded); err != nil {
			return err
		}
	}
	return nil
}

func total(loaded map[string]int) float64 {
	sum := 0
	for _, n := range loaded {
		sum += n
	}
	return float64(sum) / 1000
}

// start measures the binary from its start to its first answer, on the demo's data.
func start() error {
	data, err := folder("start")
	if err != nil {
		return err
	}
	var all []time.Duration
	for round := range 6 {
		d, err := startOnce(data)
		if err != nil {
			return err
		}
		if round > 0 { // the first one makes the data
			all = append(all, d)
		} else {
			say("with the data still to be made", "%.2f s", d.Seconds())
		}
	}
	median, _ := spread(all)
	say("start to first answer, median (aim 1 s)", "%.2f s", median.Seconds())
	return nil
}

func startOnce(data string) (time.Duration, error) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	address := listener.Addr().String()
	listener.Close()
	command := exec.Command(options.Binary, "demo", "--ports", "0")
	command.Env = append(os.Environ(), "NEEDLE_ADDR="+address, "NEEDLE_DATA="+data)
	from := time.Now()
	if err := command.Start(); err != nil {
		return 0, err
	}
	defer func() {
		command.Process.Signal(os.Interrupt)
		command.Wait()
	}()
	for time.Since(from) < time.Minute {
		if response, err := http.Get("http://" + address + "/api/session"); err == nil {
			response.Body.Close()
			return time.Since(from), nil
		}
		time.Sleep(2 * time.Millisecond)
	}
	return 0, fmt.Errorf("no answer within a minute")
}
