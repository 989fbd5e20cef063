package alerts

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/ticket"
)

// readDescription reads a tracker's description; - is standard input.
func readDescription(c *cli.Command, name string) (string, error) {
	var raw []byte
	var err error
	if name == "-" {
		raw, err = io.ReadAll(io.LimitReader(c.Root().Reader, 1<<20))
	} else {
		raw, err = os.ReadFile(name)
	}
	if err != nil {
		return "", problem.New(problem.WrongUse, "the description cannot be read: %s", err)
	}
	return string(raw), nil
}

// checked is what destination check prints as JSON.
type checked struct {
	OK     bool           `json:"ok"`
	Errors []ticket.Error `json:"errors"`
	Calls  []checkedCall  `json:"calls"`
}

type checkedCall struct {
	Operation string `json:"operation"`
	Method    string `json:"method"`
	URL       string `json:"url"`
	Body      string `json:"body,omitempty"`
}

func checkCommand() *cli.Command {
	return &cli.Command{Name: "check", Usage: "check the description of a tracker's API, without a service",
		Arguments: []cli.Argument{command.Text("file")},
		Description: "Prints each call with example values, or each error with its line.\n\n" +
			"  firethorn destination check board.yaml",
		Action: func(_ context.Context, c *cli.Command) error {
			name, err := command.Arg(c, "file")
			if err != nil {
				return err
			}
			text, err := readDescription(c, name)
			if err != nil {
				return err
			}
			v := checked{Errors: []ticket.Error{}, Calls: []checkedCall{}}
			d, err := ticket.Parse(text)
			if list, ok := errors.AsType[ticket.Errors](err); ok {
				v.Errors = list
			} else if err != nil {
				return err
			} else {
				v.OK = true
				for _, x := range d.Examples() {
					v.Calls = append(v.Calls, checkedCall(x))
				}
			}
			raw, err := json.Marshal(v)
			if err == nil {
				raw = append(raw, '\n')
				err = command.Print(c, raw, v, func(out io.Writer, v checked) { showChecked(out, name, v) })
			}
			if err != nil || v.OK {
				return err
			}
			return problem.New(problem.AnswerIsNo, "the description has errors")
		}}
}

func showChecked(out io.Writer, name string, v checked) {
	for _, e := range v.Errors {
		fmt.Fprintf(out, "%s:%d: %s\n", show.Plain(name), e.Line, show.Plain(e.What))
	}
	if !v.OK {
		return
	}
	for _, x := range v.Calls {
		fmt.Fprintf(out, "%-9s %s %s\n", x.Operation, x.Method, show.Plain(x.URL))
		if x.Body != "" {
			fmt.Fprintf(out, "          %s\n", show.Plain(x.Body))
		}
	}
	fmt.Fprintln(out, "\nThe description is in order. firethorn destination test NAME tries each call.")
}
