// Package posttest has a mail server for tests: it keeps what it takes, and refuses what it is told to.
package posttest

import (
	"bufio"
	"fmt"
	"net"
	"net/mail"
	"strings"
	"sync"
)

// A Message is e-mail that the server took.
type Message struct {
	To, Subject, Text string
}

// A Server is a mail server on loopback.
type Server struct {
	// URL is its address.
	URL string
	// Took receives each message.
	Took chan Message

	listener net.Listener
	mu       sync.Mutex
	refuse   map[string]string // answers, by the recipient's address
}

// New starts a server.
func New() (*Server, error) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	s := &Server{
		URL: "smtp://" + listener.Addr().String(), Took: make(chan Message, 1000), listener: listener,
		refuse: map[string]string{},
	}
	go func() {
		for {
			conn, err := listener.Accept()
			if err != nil {
				return
			}
			go s.talk(conn)
		}
	}()
	return s, nil
}

// Close stops the server.
func (s *Server) Close() { _ = s.listener.Close() }

// Refuse has the server answer so when somebody is to be written to: "550 no such person" for good, "450 later" for
// now; "" takes it again.
func (s *Server) Refuse(to, answer string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.refuse[to] = answer
}

// talk holds one conversation (RFC 5321).
func (s *Server) talk(conn net.Conn) {
	defer func() { _ = conn.Close() }()
	lines := bufio.NewScanner(conn)
	say := func(text string) { _, _ = fmt.Fprint(conn, text+"\r\n") }
	say("220 stand-in")
	to := ""
	for lines.Scan() {
		verb, rest, _ := strings.Cut(lines.Text(), " ")
		switch strings.ToUpper(verb) {
		case "EHLO", "HELO":
			say("250 stand-in")
		case "RCPT":
			address := strings.TrimSuffix(strings.TrimPrefix(rest, "TO:<"), ">")
			s.mu.Lock()
			answer := s.refuse[address]
			s.mu.Unlock()
			if answer == "" {
				to, answer = address, "250 it is known"
			}
			say(answer)
		case "DATA":
			say("354 go on")
			var text strings.Builder
			for lines.Scan() && lines.Text() != "." {
				text.WriteString(strings.TrimPrefix(lines.Text(), ".") + "\n")
			}
			s.take(to, text.String())
			say("250 taken")
		case "QUIT":
			say("221 good-bye")
			return
		default:
			say("250 yes")
		}
	}
}

func (s *Server) take(to, text string) {
	message, err := mail.ReadMessage(strings.NewReader(text))
	if err != nil {
		return
	}
	var body strings.Builder
	_, _ = bufio.NewReader(message.Body).WriteTo(&body)
	// A line that was broken to fit is one line (RFC 2045).
	plain := strings.NewReplacer("=\n", "", "=3D", "=").Replace(body.String())
	select {
	case s.Took <- Message{To: to, Subject: message.Header.Get("Subject"), Text: plain}:
	default: // nobody looks at so many
	}
}
