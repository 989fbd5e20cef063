package main

import (
	"net"
	"net/http"
	"net/http/httptest"
	"net/smtp"
	"strings"
	"testing"
	"time"
)

// What is said in the chat room, mailed and sent by webhook is on the pages.
func TestOffice(t *testing.T) {
	var o office
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	go o.serveMail(l)
	mail := "Subject: =?UTF-8?Q?New:_f=C3=A4hre?=\r\nContent-Type: multipart/alternative; boundary=b\r\n\r\n--b\r\nContent-Type: text/plain\r\nContent-Transfer-Encoding: quoted-printable\r\n\r\n1 user =E2=80=A6\r\n--b\r\nContent-Type: text/html\r\n\r\n<p>1 user</p>\r\n--b--\r\n"
	if err := smtp.SendMail(l.Addr().String(), nil, "firethorn@marrowsound.example", []string{"maren@marrowsound.example"}, []byte(mail)); err != nil {
		t.Fatal(err)
	}
	s := httptest.NewServer(o.routes())
	defer s.Close()
	for path, body := range map[string]string{"/chat": `{"text":"<b>hello</b>"}`, "/hook": `{"type":"firethorn.issue.new","subject":"quayside/1"}`} {
		res, err := http.Post(s.URL+path, "application/json", strings.NewReader(body))
		if err != nil || res.StatusCode >= 300 {
			t.Fatal(path, res, err)
		}
	}
	if res, err := http.Post(s.URL+"/chat", "application/json", strings.NewReader("x")); err != nil || res.StatusCode != 400 {
		t.Error("what is no message was taken", res, err)
	}
	for until := time.Now().Add(5 * time.Second); len(o.mail.newest()) == 0 && time.Now().Before(until); {
		time.Sleep(5 * time.Millisecond)
	}
	m := o.mail.newest()
	if len(m) != 1 || m[0].Title != "New: fähre" || m[0].To != "maren@marrowsound.example" || m[0].Text != "1 user …" || m[0].HTML != "<p>1 user</p>" {
		t.Errorf("%+v", m)
	}
	for path, want := range map[string]string{"/chat": "&lt;b&gt;hello&lt;/b&gt;", "/mail": "New: fähre", "/hook": "firethorn.issue.new quayside/1", "/": "1 messages"} {
		w := httptest.NewRecorder()
		o.routes().ServeHTTP(w, httptest.NewRequest(http.MethodGet, path, nil))
		if !strings.Contains(w.Body.String(), want) {
			t.Errorf("%s does not show %q: %s", path, want, w.Body)
		}
	}
}
