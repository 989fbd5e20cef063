// Package e2e uses the whole service as people and applications do: started on
// loopback with a real MariaDB, through the command line, the network, the
// client library in Node and Chromium, and the console. It holds tests alone.
package e2e
