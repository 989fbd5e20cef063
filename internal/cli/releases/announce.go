package releases

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"

	"github.com/urfave/cli/v3"

	"firethorn/internal/cli/command"
	"firethorn/internal/cli/show"
	"firethorn/internal/client"
	"firethorn/internal/contract"
	"firethorn/internal/core/problem"
	"firethorn/internal/core/release"
	"firethorn/internal/git"
)

func announceCommand(version cli.Flag) *cli.Command {
	return &cli.Command{Name: "announce", Usage: "announce a release and send the new commits of its repository",
		Flags: []cli.Flag{
			version,
			&cli.StringFlag{Name: "commit", Usage: "the `HASH` of its commit (default: HEAD of the repository)"},
			&cli.StringFlag{Name: "repo", Usage: "send the history of the repository at `PATH` (default: the one around the working directory); none: send nothing"},
		},
		Description: "Commits that the service lacks are sent as a git bundle: history, authors and files, but no branches, tags or configuration.\n" +
			"They give the order of releases, fixes by commit, and likely changes for an issue.",
		Action: announce}
}

// announce sends a release's history, as far as there is one, and announces it.
func announce(ctx context.Context, c *cli.Command) error {
	cl, project, err := command.ProjectClient(ctx, c)
	if err != nil {
		return err
	}
	say := c.Root().ErrWriter
	in := contract.AnnounceRelease{Version: c.String("release"), Commit: c.String("commit")}
	dir := show.OrElse(c.String("repo"), ".")
	if dir != "none" {
		repo, ok := git.Working(ctx, dir)
		switch {
		case ok:
			commit, err := repo.Commit(ctx, show.OrElse(in.Commit, "HEAD"))
			if err != nil && (c.String("repo") != "" || in.Commit == "") {
				return problem.Wrap("cli.announce", problem.WrongUse, err,
					"%v; name another with --commit, or send no history with --repo none", err)
			}
			if err == nil {
				in.Commit = commit
				if err := sendHistory(ctx, cl, repo, project, commit, say); err != nil {
					return err
				}
			} else {
				fmt.Fprintf(say, "note: no history is sent: %v\n", err)
			}
		case c.String("repo") != "":
			return command.Usage("%s is in no git repository", dir)
		}
	}
	return command.Request(ctx, c, command.Ask(http.MethodPost, command.OfProject("/releases"), in),
		func(out io.Writer, r contract.Release) {
			fmt.Fprintf(out, "%s is announced%s\n", show.Plain(r.Version), ofCommit(r))
		})
}

// sendHistory sends the commits that the service does not have. A clone without
// all its history is no failure of the build: it is said.
func sendHistory(ctx context.Context, cl *client.Client, repo git.Repo, project, commit string, say io.Writer) error {
	path := "/api/projects/" + url.PathEscape(project) + "/repository"
	var known contract.Repository
	if _, err := cl.Call(ctx, http.MethodGet, path, nil, &known); err != nil {
		return err
	}
	f, err := os.CreateTemp("", "firethorn-bundle-")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	defer f.Close()
	any, err := repo.Bundle(ctx, commit, known.Tips, f)
	if errors.Is(err, git.ErrShallow) {
		fmt.Fprintf(say, "note: the history of %s is not sent: this clone is shallow, its older commits are not here. Fetch them first (git fetch --unshallow; in a build, a fetch depth of 0). The release is announced without them.\n", release.Short(commit))
		return nil
	}
	if err != nil {
		return problem.Wrap("cli.announce", problem.WrongUse, err,
			"the history could not be read: %v; --repo none announces without it", err)
	}
	if !any {
		return nil
	}
	size, err := f.Seek(0, io.SeekCurrent)
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		return err
	}
	if size > 20<<20 {
		fmt.Fprintf(say, "sending %d MB of history …\n", size>>20)
	}
	req, err := cl.Request(ctx, http.MethodPost, path+"/bundle", f)
	if err != nil {
		return err
	}
	req.ContentLength = size
	req.Header.Set("Content-Type", "application/x-git-bundle")
	raw, err := cl.Do(req)
	if err != nil {
		return err
	}
	var taken contract.BundleTaken
	if err := json.Unmarshal(raw, &taken); err != nil {
		return err
	}
	fmt.Fprintf(say, "sent %s up to %s (%d kB)\n", show.Counted(int64(taken.Commits), "commit"),
		release.Short(taken.Tip),
		(size+1023)/1024)
	for _, t := range taken.Notices {
		fmt.Fprintf(say, "  %s\n", show.Plain(t))
	}
	return nil
}
