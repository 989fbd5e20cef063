package main

import (
	"errors"
	"io"
	"net"
	"os"
	"sync"
)

// network lies between a service and its database. While it is silent nothing
// gets through and no connection ends: as when a host vanishes.
type network struct {
	listener net.Listener
	to       string // the database's socket

	mu     sync.Mutex
	open   *sync.Cond // told when it speaks again
	silent bool
	conns  map[net.Conn]bool
}

func newNetwork(socket, to string) (*network, error) {
	if err := os.Remove(socket); err != nil && !errors.Is(err, os.ErrNotExist) {
		return nil, err
	}
	l, err := net.Listen("unix", socket)
	if err != nil {
		return nil, err
	}
	n := &network{listener: l, to: to, conns: map[net.Conn]bool{}}
	n.open = sync.NewCond(&n.mu)
	go n.serve()
	return n, nil
}

func (n *network) serve() {
	for {
		from, err := n.listener.Accept()
		if err != nil {
			return
		}
		go n.carry(from)
	}
}

// carry connects one connection through.
func (n *network) carry(from net.Conn) {
	defer from.Close()
	n.pass()
	to, err := net.Dial("unix", n.to)
	if err != nil { // the database is away
		return
	}
	defer to.Close()
	n.mu.Lock()
	n.conns[from], n.conns[to] = true, true
	n.mu.Unlock()
	done := make(chan bool, 2)
	for _, way := range [][2]net.Conn{{from, to}, {to, from}} {
		go func() {
			_, _ = io.Copy(slowWriter{n, way[1]}, way[0]) // an end of either side ends both
			done <- true
		}()
	}
	<-done
	n.pass()
	n.mu.Lock()
	delete(n.conns, from)
	delete(n.conns, to)
	n.mu.Unlock()
}

// pass waits while it is silent.
func (n *network) pass() {
	n.mu.Lock()
	for n.silent {
		n.open.Wait()
	}
	n.mu.Unlock()
}

// slowWriter holds back what is written while the network is silent.
type slowWriter struct {
	n  *network
	to net.Conn
}

func (w slowWriter) Write(p []byte) (int, error) {
	w.n.pass()
	return w.to.Write(p)
}

// silence lets nothing through until speak.
func (n *network) silence() {
	n.mu.Lock()
	n.silent = true
	n.mu.Unlock()
}

// speak lets everything through again; cut ends the connections there were.
func (n *network) speak(cut bool) {
	n.mu.Lock()
	n.silent = false
	if cut {
		for c := range n.conns {
			c.Close()
		}
	}
	n.open.Broadcast()
	n.mu.Unlock()
}

func (n *network) close() {
	n.speak(true)
	n.listener.Close()
}
