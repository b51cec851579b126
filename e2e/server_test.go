package e2e_test

import (
	"bytes"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"northneedle/e2e/browser"

	"github.com/stretchr/testify/require"
)

// binary is the real product, built once for all tests here.
var binary string

func TestMain(m *testing.M) {
	os.Exit(build(m))
}

func build(m *testing.M) int {
	folder, err := os.MkdirTemp("", "northneedle")
	if err != nil {
		panic(err)
	}
	defer os.RemoveAll(folder)
	if _, err := os.Stat("../web/dist/index.html"); err != nil {
		fmt.Println("the interface is not built: run make web first")
		return 1
	}
	binary = filepath.Join(folder, "northneedle")
	if out, err := exec.Command("go", "build", "-o", binary, "../cmd/northneedle").CombinedOutput(); err != nil {
		fmt.Printf("%s\n%v\n", out, err)
		return 1
	}
	defer func() {
		if data, err := filled(); err == nil {
			os.RemoveAll(data)
		}
	}()
	browser.Camera = filepath.Join(folder, "label.mjpeg")
	if err := film(browser.Camera, "MB-0417"); err != nil {
		panic(err)
	}
	defer browser.Quit()
	return m.Run()
}

// server is a running product.
type server struct {
	t       *testing.T
	command *exec.Cmd
	base    string
	data    string
	out     output
	exited  chan struct{}
}

// launch starts the product with some arguments on a data folder, and waits for its first answer. A port that was free
// may be taken before the product listens there: then it is another.
func launch(t *testing.T, data string, args ...string) *server {
	t.Helper()
	for {
		s := begin(t, data, args...)
		if s.answers() {
			return s
		}
		require.Contains(t, s.out.String(), "address already in use", "the server stopped")
	}
}

// begin starts the product on a port that is free now.
func begin(t *testing.T, data string, args ...string) *server {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	address := listener.Addr().String()
	listener.Close()
	s := &server{t: t, base: "http://" + address, data: data, exited: make(chan struct{})}
	s.command = exec.Command(binary, args...)
	s.command.Env = append(os.Environ(), "NEEDLE_ADDR="+address, "NEEDLE_DATA="+data)
	s.command.Stdout, s.command.Stderr = &s.out, &s.out
	require.NoError(t, s.command.Start())
	go func() {
		s.command.Wait()
		close(s.exited)
	}()
	t.Cleanup(s.kill)
	return s
}

// answers waits until the product says that it is ready; false: it has stopped.
func (s *server) answers() bool {
	s.t.Helper()
	for end := time.Now().Add(90 * time.Second); !strings.Contains(s.out.String(), "is ready"); {
		select {
		case <-s.exited:
			return false
		case <-time.After(20 * time.Millisecond):
		}
		require.True(s.t, time.Now().Before(end), s.out.String())
	}
	return true
}

// output is what a process says, which may be read while it goes on.
type output struct {
	mutex sync.Mutex
	text  bytes.Buffer
}

func (o *output) Write(text []byte) (int, error) {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	return o.text.Write(text)
}

func (o *output) String() string {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	return o.text.String()
}

// kill is kill -9.
func (s *server) kill() {
	s.command.Process.Kill()
	<-s.exited
}

// filled is a data folder with the demo's data, made once and copied for every test.
var filled = sync.OnceValues(func() (string, error) {
	data, err := os.MkdirTemp("", "northneedle-demo")
	if err != nil {
		return "", err
	}
	command := exec.Command(binary, "demo", "--fill", "--data", data)
	if out, err := command.CombinedOutput(); err != nil {
		return "", fmt.Errorf("the demo was not filled: %w\n%s", err, out)
	}
	return data, nil
})

// demo starts the demo on a copy of its data: instruments and waits run at a speed, procedures are as shipped.
func demo(t *testing.T, speed float64) *server {
	t.Helper()
	from, err := filled()
	require.NoError(t, err)
	data := t.TempDir()
	require.NoError(t, os.CopyFS(data, os.DirFS(from)))
	return launch(t, data, "demo", "--ports", "0", "--speed", fmt.Sprint(speed))
}

func TestAProcedureWithAMistakeStartsNothing(t *testing.T) {
	data := t.TempDir()
	folder := filepath.Join(data, "procedures")
	require.NoError(t, os.MkdirAll(folder, 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "own.yaml"),
		[]byte("id: own\nrevision: 1\ntitle: Own\nfamily: capnograph\ncautions: [c]\nsteps:\n  - wait: Warm-up\n    minutes: -3\n    why: cold\nnext: { months: 1 }\n"), 0o600))
	command := exec.Command(binary, "serve", "--data", data, "--addr", "127.0.0.1:0")
	out, err := command.CombinedOutput()
	require.Error(t, err)
	require.Contains(t, string(out), "own.yaml:8: steps[0].minutes: must be above 0")
	require.NoFileExists(t, filepath.Join(data, "ledger.db"))
}
