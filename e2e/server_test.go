package e2e_test

import (
	"bytes"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

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
	return m.Run()
}

// server is a running product.
type server struct {
	t       *testing.T
	command *exec.Cmd
	base    string
	data    string
	out     bytes.Buffer
	exited  chan struct{}
}

// launch starts the product with some arguments on a data folder, and waits for its first answer.
func launch(t *testing.T, data string, args ...string) *server {
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
	end := time.Now().Add(90 * time.Second)
	for {
		if response, err := http.Get(s.base + "/api/session"); err == nil {
			response.Body.Close()
			return s
		}
		select {
		case <-s.exited:
			require.FailNow(t, "the server stopped", s.out.String())
		case <-time.After(20 * time.Millisecond):
		}
		require.True(t, time.Now().Before(end), s.out.String())
	}
}

// kill is kill -9.
func (s *server) kill() {
	s.command.Process.Kill()
	<-s.exited
}

// hurried writes the lab's own capnograph procedure: the same steps, with a warm-up
// of seconds and a faster rhythm, as a lab may change any default.
func hurried(t *testing.T, data string, warmUp string) {
	t.Helper()
	text, err := os.ReadFile("../procedures/capnograph.yaml")
	require.NoError(t, err)
	own := strings.NewReplacer("revision: 1", "revision: 2", "minutes: 5\n", "minutes: "+warmUp+"\n", "breaths: 5,", "breaths: 3,", `breath: "12"`, `breath: "30"`,
		`{ label: 6 /min, at: "6", drive: { gas: "{gas5}", breath: "6" } }`, `{ label: 20 /min, at: "20", drive: { gas: "{gas5}", breath: "20" } }`,
		`{ label: 12 /min, at: "12", drive: { gas: "{gas5}", breath: "12" } }`, `{ label: 24 /min, at: "24", drive: { gas: "{gas5}", breath: "24" } }`,
		"seconds: 5,", "seconds: 3,").Replace(string(text))
	folder := filepath.Join(data, "procedures")
	require.NoError(t, os.MkdirAll(folder, 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "capnograph.yaml"), []byte(own), 0o600))
}

func TestAProcedureWithAMistakeStartsNothing(t *testing.T) {
	data := t.TempDir()
	folder := filepath.Join(data, "procedures")
	require.NoError(t, os.MkdirAll(folder, 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "own.yaml"), []byte("id: own\nrevision: 1\ntitle: Own\nfamily: capnograph\ncautions: [c]\nsteps:\n  - wait: Warm-up\n    minutes: -3\n    why: cold\nnext: { months: 1 }\n"), 0o600))
	command := exec.Command(binary, "serve", "--data", data, "--addr", "127.0.0.1:0")
	out, err := command.CombinedOutput()
	require.Error(t, err)
	require.Contains(t, string(out), "own.yaml:8: steps[0].minutes: must be above 0")
	require.NoFileExists(t, filepath.Join(data, "ledger.db"))
}
