package main

import (
	"bytes"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net"
	"net/mail"
	"net/textproto"
	"strings"
	"time"
)

// serveMail takes mail by SMTP (RFC 5321), without TLS: it is for this machine alone.
func (o *office) serveMail(l net.Listener) {
	for {
		conn, err := l.Accept()
		if err != nil {
			return // closed
		}
		go func() {
			defer conn.Close()
			_ = conn.SetDeadline(time.Now().Add(time.Minute))
			o.converse(textproto.NewConn(conn))
		}()
	}
}

// converse speaks with one sender until it quits or breaks off.
func (o *office) converse(c *textproto.Conn) {
	say := func(format string, args ...any) bool { return c.PrintfLine(format, args...) == nil }
	if !say("220 office.marrowsound.example ESMTP") {
		return
	}
	var from string
	var to []string
	for {
		line, err := c.ReadLine()
		if err != nil {
			return
		}
		verb, rest, _ := strings.Cut(line, " ")
		answer := "250 OK"
		switch strings.ToUpper(verb) {
		case "EHLO", "HELO":
			answer, from, to = "250 office.marrowsound.example", "", nil
		case "MAIL":
			from = address(rest)
		case "RCPT":
			if to = append(to, address(rest)); from == "" {
				answer = "503 who sends it? MAIL FROM comes first"
			}
		case "DATA":
			if len(to) == 0 {
				answer = "503 to whom? RCPT TO comes first"
				break
			}
			if !say("354 end with a dot") {
				return
			}
			raw, err := io.ReadAll(io.LimitReader(c.DotReader(), maxBody))
			if err != nil {
				return
			}
			o.mail.add(readMail(raw, from, strings.Join(to, ", ")))
			from, to = "", nil
		case "RSET":
			from, to = "", nil
		case "NOOP":
		case "QUIT":
			say("221 good bye")
			return
		default:
			answer = "502 not known here"
		}
		if !say("%s", answer) {
			return
		}
	}
}

func address(rest string) string {
	_, rest, _ = strings.Cut(rest, ":")
	rest, _, _ = strings.Cut(rest, " ")
	return strings.Trim(rest, "<>")
}

// readMail takes a mail apart: its subject, and its text and HTML parts.
func readMail(raw []byte, from, to string) message {
	m := message{Sender: from, To: to, Raw: string(raw)}
	read, err := mail.ReadMessage(bytes.NewReader(raw))
	if err != nil {
		m.Title = fmt.Sprint("a mail that cannot be read: ", err)
		return m
	}
	m.ID = read.Header.Get("Message-ID")
	if m.Title, err = (&mime.WordDecoder{}).DecodeHeader(read.Header.Get("Subject")); err != nil {
		m.Title = read.Header.Get("Subject")
	}
	kind, params, err := mime.ParseMediaType(read.Header.Get("Content-Type"))
	if err != nil || !strings.HasPrefix(kind, "multipart/") {
		text, _ := io.ReadAll(decoded(read.Body, read.Header.Get("Content-Transfer-Encoding")))
		m.Text = string(text)
		return m
	}
	parts := multipart.NewReader(read.Body, params["boundary"])
	for {
		p, err := parts.NextRawPart()
		if err != nil {
			return m
		}
		text, err := io.ReadAll(decoded(p, p.Header.Get("Content-Transfer-Encoding")))
		if err != nil {
			return m
		}
		if strings.HasPrefix(p.Header.Get("Content-Type"), "text/html") {
			m.HTML = string(text)
		} else {
			m.Text = string(text)
		}
	}
}

func decoded(r io.Reader, encoding string) io.Reader {
	if strings.EqualFold(encoding, "quoted-printable") {
		return quotedprintable.NewReader(r)
	}
	return r
}
