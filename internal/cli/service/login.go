package service

import (
	"bufio"
	"context"
	"fmt"
	"net/http"
	"strings"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/client"
	"firethorn/internal/contract"
	"firethorn/internal/core/problem"
)

// Login is the command that remembers a service and a token.
func Login() *cli.Command {
	return &cli.Command{
		Name: "login", Usage: "store a server, a token and a project",
		Description: "Stores --server, --token-file (or --token) and --project. Without a token it reads one from standard input.",
		Action: func(ctx context.Context, c *cli.Command) error {
			s := client.Remembered()
			if v := c.String("server"); v != "" {
				s.Server = strings.TrimSuffix(v, "/")
			}
			if s.Server == "" {
				return command.Usage("which server? firethorn login --server URL")
			}
			if v := c.String("project"); v != "" {
				s.Project = v
			}
			var err error
			if s.Token, err = command.SecretFlag(c, "token", "token-file"); err != nil {
				return err
			}
			if s.Token == "" {
				fmt.Fprint(c.Root().ErrWriter, "token: ")
				line, err := bufio.NewReader(c.Root().Reader).ReadString('\n')
				if s.Token = strings.TrimSpace(line); s.Token == "" {
					return command.Usage("no token was given (%v)", err)
				}
			}
			cl := &client.Client{Server: s.Server, Token: s.Token, HTTP: http.DefaultClient}
			var me contract.Me
			raw, err := cl.Call(ctx, http.MethodGet, "/api/me", nil, &me)
			if err != nil {
				return err
			}
			if err := s.Remember(); err != nil {
				return problem.Wrap("cli.login", problem.DataDirBroken, err, "the login could not be remembered")
			}
			if c.String("format") == "json" {
				_, err = c.Root().Writer.Write(raw)
				return err
			}
			fmt.Fprintf(c.Root().Writer, "%s: you are %s, with the rights of %s\n", s.Server, show.Plain(me.Name),
				me.Scope)
			return nil
		},
	}
}
