package e2e_test

import (
	"bytes"
	"flag"
	"fmt"
	"net/http"
	"os"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// guesses is how many passwords strangers try at once: few as a rule, the full number in "make attack".
var guesses = flag.Int("guesses", 120, "how many passwords TestManyGuessesTakeLittleMemory tries")

// A password's hash takes 64 MB. However many strangers try at once, from however many addresses, few are computed at a
// time: the server's memory stays within 300 MB, and it answers whoever is signed in.
func TestManyGuessesTakeLittleMemory(t *testing.T) {
	data := t.TempDir()
	begun(t, data)
	s := launch(t, data, "serve", "--behind-proxy")
	var group sync.WaitGroup
	var mutex sync.Mutex
	counts := map[int]int{}
	next := make(chan int)
	for range 32 { // two are computed at a time, thirty wait
		group.Go(func() {
			for n := range next {
				body := fmt.Sprintf(`{"name":"nobody %d","password":"a guess of mine"}`, n)
				request, err := http.NewRequest(http.MethodPost, s.base+"/api/session", bytes.NewBufferString(body))
				assert.NoError(t, err)
				request.Header.Set("Content-Type", "application/json")
				request.Header.Set("X-Forwarded-Proto", "https")
				request.Header.Set("X-Forwarded-For", fmt.Sprintf("10.%d.%d.%d", n>>16, n>>8&255, n&255))
				answer, err := http.DefaultClient.Do(request)
				if !assert.NoError(t, err) {
					continue
				}
				answer.Body.Close()
				mutex.Lock()
				counts[answer.StatusCode]++
				mutex.Unlock()
			}
		})
	}
	for n := range *guesses {
		next <- n
	}
	close(next)
	answer, err := (&http.Client{Timeout: 20 * time.Second}).Get(s.base + "/healthz")
	require.NoError(t, err)
	answer.Body.Close()
	group.Wait()
	most := peak(t, s)
	t.Logf("%d guesses, answered %v; at most %d MB", *guesses, counts, most)
	assert.Equal(t, *guesses, counts[401]+counts[429]+counts[503],
		"each was refused, told to wait, or told that it is busy: %v", counts)
	assert.Less(t, most, 300)
}

// peak is the most memory that a server had, in MB.
func peak(t *testing.T, s *server) int {
	t.Helper()
	status, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", s.command.Process.Pid))
	if err != nil {
		t.Skip("this system does not say how much memory a program had")
	}
	for line := range strings.Lines(string(status)) {
		if text, ok := strings.CutPrefix(line, "VmHWM:"); ok {
			kilobytes, err := strconv.Atoi(strings.Fields(text)[0])
			require.NoError(t, err)
			return kilobytes / 1000
		}
	}
	require.Fail(t, "no peak in the status of the process")
	return 0
}
