package console

import "testing"

func TestTickets(t *testing.T) {
	with := func(change m) m {
		out := m{"destination": "board", "key": "41", "state": "open", "status": "doing"}
		for k, v := range change {
			out[k] = v
		}
		return out
	}
	check(t, "tickets", []call{
		{"doing", "ticketWord", []any{with(nil)}},
		{"open", "ticketWord", []any{with(m{"status": ""})}},
		{"gone", "ticketWord", []any{with(m{"state": "gone"})}},
		{"Ticket 41 in board: doing", "ticketTitle", []any{with(nil)}},
		{"Ticket 41 in board: doing; the ticket has yet to follow the issue", "ticketTitle", []any{with(m{"follows": "there"})}},
		{"Ticket 41 in board: done; the issue has yet to follow the ticket. It stands still.", "ticketTitle", []any{with(m{"status": "done", "follows": "here", "trouble": "It stands still."})}},
	})
}
