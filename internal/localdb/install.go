package localdb

import (
	"bytes"
	"context"
	"errors"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"syscall"

	"firethorn/internal/core/problem"
)

// systemTables are the scripts of the server's package that make its own
// tables, in order. The package's install program is not used: it needs
// client programs that the server's package does not bring.
var systemTables = []string{"mysql_system_tables.sql", "mysql_performance_tables.sql", "mysql_system_tables_data.sql",
	"maria_add_gis_sp_bootstrap.sql", "mysql_sys_schema.sql"}

const shareDir = "/usr/share/mysql"

// install creates the system tables, in a directory that gets its final name
// only when it is complete.
func (s *Server) install(ctx context.Context) error {
	if _, err := os.Stat(filepath.Join(s.data(), "mysql")); err == nil {
		return nil
	}
	bin, err := program("mariadbd")
	if err != nil {
		return err
	}
	var script bytes.Buffer
	script.WriteString("CREATE DATABASE IF NOT EXISTS mysql;\nUSE mysql;\nSET @auth_root_socket=NULL;\n")
	for _, name := range systemTables {
		raw, err := os.ReadFile(filepath.Join(shareDir, name))
		if err != nil {
			return problem.Wrap("localdb.install", problem.NoDatabase, err, "MariaDB's own tables are missing in %s: install mariadb-server-core again", shareDir)
		}
		script.Write(raw)
	}
	half := s.data() + ".half"
	for try := 1; ; try++ {
		out, err := s.bootstrap(ctx, bin, half, script.Bytes())
		if err == nil {
			break
		}
		if try < installTries && crashed(err) && ctx.Err() == nil {
			s.opt.Log.Warn("the database server crashed while it made its own tables; trying again", "err", err, "try", try)
			continue
		}
		return problem.Wrap("localdb.install", problem.NoDatabase, err,
			"the private database could not be created in %s: %s", s.opt.Dir, tail(out))
	}
	if err := os.RemoveAll(s.data()); err != nil {
		return err
	}
	return os.Rename(half, s.data())
}

// installTries is how often the creation is begun again after a crash.
const installTries = 3

// bootstrap runs script on an empty data directory and returns what the server printed.
func (s *Server) bootstrap(ctx context.Context, bin, dir string, script []byte) ([]byte, error) {
	if err := errors.Join(os.RemoveAll(dir), os.MkdirAll(dir, 0o700)); err != nil {
		return nil, err
	}
	args := append([]string{"--no-defaults", "--bootstrap", "--datadir=" + dir, "--tmpdir=" + s.tmp(),
		"--log-warnings=0", "--enforce-storage-engine=", "--max-allowed-packet=8M", "--net-buffer-length=16K",
		"--skip-log-bin", "--innodb-log-file-size=10M"}, s.asRoot()...)
	cmd := exec.CommandContext(ctx, bin, args...)
	cmd.Stdin = bytes.NewReader(script)
	return cmd.CombinedOutput()
}

// crashed says whether a process was ended by a signal.
func crashed(err error) bool {
	exit, ok := errors.AsType[*exec.ExitError](err)
	if !ok {
		return false
	}
	status, ok := exit.Sys().(syscall.WaitStatus)
	return ok && status.Signaled()
}

// initSQL leaves one account, ours, with a password. It may use our database and
// nothing else: no files, no other accounts, no settings of the server. With an
// address on loopback the account answers there, too.
func (s *Server) initSQL() string {
	rights := Database + ".*"
	if s.opt.AllRights {
		rights = "*.*"
	}
	text := "CREATE DATABASE IF NOT EXISTS " + Database + " CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin;\n" +
		"DELETE FROM mysql.global_priv WHERE User NOT IN ('mariadb.sys', 'firethorn');\nDELETE FROM mysql.global_priv WHERE User='firethorn' AND Host<>'localhost';\nFLUSH PRIVILEGES;\n"
	hosts := []string{"localhost"}
	if host, _, err := net.SplitHostPort(s.opt.Listen); err == nil {
		hosts = append(hosts, host)
	}
	for _, host := range hosts {
		account := "firethorn@'" + host + "'"
		text += "CREATE USER IF NOT EXISTS " + account + " IDENTIFIED BY '" + s.pass + "';\n" +
			"REVOKE ALL PRIVILEGES, GRANT OPTION FROM " + account + ";\n" +
			"GRANT ALL PRIVILEGES ON " + rights + " TO " + account + ";\n"
	}
	return text
}
