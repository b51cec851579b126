package main

import (
	"bufio"
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
	headers := "Host: " + address.Host + "\r\nAccept-Encoding: gzip\r\n"
	for _, cookie := range h.http.Jar.Cookies(address) {
		headers += "Cookie: " + cookie.String() + "\r\n"
	}
	return &caller{conn, bufio.NewReader(conn), headers}, nil
}

// fetch reads a whole answer.
func (c *caller) fetch(address string) error {
	if _, err := c.conn.Write([]byte("GET " + address + " HTTP/1.1\r\n" + c.headers + "\r\n")); err != nil {
		return err
	}
	response, err := http.ReadResponse(c.answers, nil)
	if err != nil {
		return err
	}
	defer response.Body.Close()
	if _, err := io.Copy(io.Discard, response.Body); err != nil {
		return err
	}
	if response.StatusCode != http.StatusOK {
		return fmt.Errorf("%s: %s", address, response.Status)
	}
	return nil
}
