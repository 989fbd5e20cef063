package main

import (
	"os"
	"runtime/debug"
)

type roster struct{ names []string }

func (r *roster) assign(i int) string { return r.names[i] }

func main() {
	switch os.Args[1] {
	case "panic":
		(&roster{}).assign(3)
	case "nil":
		var r *roster
		r.assign(1)
	case "stack":
		func() { os.Stderr.Write(debug.Stack()) }()
	case "deadlock":
		c := make(chan int)
		go func() { c <- 1; <-c; <-make(chan int) }()
		<-c
		<-make(chan int)
	case "again":
		defer func() { panic(recover()) }()
		panic("no crew\ngoroutine 7 [running]:\nmain.fake()")
	}
}
