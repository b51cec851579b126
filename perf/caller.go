package main

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
)

// caller asks over one connection that stays open, and keeps nothing of an answer: what is
// timed is the server, not a client.
type caller struct {
	conn    net.Conn
	answers *bufio.Reader
	headers string
	answer  bytes.Buffer
}

// call connects to the server as the one who is signed in.
func (h *house) call() (*caller, error) {
	address, err := url.Parse(h.server.URL)
	if err != nil {
		return nil, err
	}
	conn, err := net.Dial("tcp", address.Host)
	if err != nil {
		return nil, err
	}
	headers := "Host: " + address.Host + "\r\n"
	for _, cookie := range h.http.Jar.Cookies(address) {
		headers += "Cookie: " + cookie.String() + "\r\n"
	}
	return &caller{conn: conn, answers: bufio.NewReader(conn), headers: headers}, nil
}

// fetch reads a whole answer.
func (c *caller) fetch(address string) error {
	_, err := c.ask("GET "+address+" HTTP/1.1\r\n"+c.headers+"Accept-Encoding: gzip\r\n\r\n", io.Discard)
	return err
}

// post sends JSON, and reads a whole answer, which stands until the next one.
func (c *caller) post(address string, body []byte) ([]byte, error) {
	c.answer.Reset()
	_, err := c.ask(fmt.Sprintf("POST %s HTTP/1.1\r\n%sContent-Type: application/json\r\nContent-Length: %d\r\n\r\n%s",
		address, c.headers, len(body), body), &c.answer)
	return c.answer.Bytes(), err
}

// ask writes a request, and the body of its answer to where it is wanted.
func (c *caller) ask(request string, to io.Writer) (int64, error) {
	if _, err := c.conn.Write([]byte(request)); err != nil {
		return 0, err
	}
	response, err := http.ReadResponse(c.answers, nil)
	if err != nil {
		return 0, err
	}
	defer response.Body.Close()
	n, err := io.Copy(to, response.Body)
	if err != nil {
		return n, err
	}
	if response.StatusCode != http.StatusOK {
		return n, fmt.Errorf("%s", response.Status)
	}
	return n, nil
}
