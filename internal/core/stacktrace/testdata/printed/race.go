package main

import "sync"

type gate struct{ open int }

func (g *gate) push() { g.open++ }

func main() {
	var g gate
	var all sync.WaitGroup
	for range 2 {
		all.Add(1)
		go func() { defer all.Done(); g.push() }()
	}
	all.Wait()
}
