// Command dump writes a database as SQL statements, one a line: what the tests of
// upgrades are made from. Columns that the database computes are left out.
//
//	go run ./scripts/dump 'firethorn:PASSWORD@unix(DATA/database/run/s.sock)/firethorn' | gzip -9 >release.sql.gz
//
// PASSWORD stands in DATA/database/password.
package main

import (
	"bufio"
	"context"
	"database/sql"
	"encoding/hex"
	"fmt"
	"io"
	"os"
	"strings"

	_ "github.com/go-sql-driver/mysql"
)

func main() {
	if len(os.Args) != 2 {
		fmt.Fprintln(os.Stderr, "usage: go run ./scripts/dump user:password@tcp(host:port)/name")
		os.Exit(2)
	}
	if err := dump(context.Background(), os.Args[1], os.Stdout); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func dump(ctx context.Context, dsn string, to io.Writer) error {
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		return err
	}
	defer db.Close()
	tables, err := texts(ctx, db, "SELECT table_name FROM information_schema.tables WHERE table_schema=DATABASE() AND table_type='BASE TABLE' ORDER BY 1")
	if err != nil {
		return err
	}
	out := bufio.NewWriter(to)
	for _, t := range tables {
		var name, create string
		if err := db.QueryRowContext(ctx, "SHOW CREATE TABLE `"+t+"`").Scan(&name, &create); err != nil {
			return err
		}
		fmt.Fprintf(out, "%s;\n", strings.ReplaceAll(create, "\n", " "))
		if err := rows(ctx, db, t, out); err != nil {
			return fmt.Errorf("%s: %w", t, err)
		}
	}
	return out.Flush()
}

// rows writes the rows of a table. Values are written in hexadecimal, so that no
// character set changes them.
func rows(ctx context.Context, db *sql.DB, table string, out io.Writer) error {
	columns, err := texts(ctx, db, "SELECT column_name FROM information_schema.columns WHERE table_schema=DATABASE() AND table_name=? AND COALESCE(generation_expression,'')='' ORDER BY ordinal_position", table)
	if err != nil {
		return err
	}
	list := "`" + strings.Join(columns, "`,`") + "`"
	found, err := db.QueryContext(ctx, "SELECT "+list+" FROM `"+table+"`")
	if err != nil {
		return err
	}
	defer found.Close()
	types, err := found.ColumnTypes()
	if err != nil {
		return err
	}
	values := make([]sql.RawBytes, len(columns))
	into := make([]any, len(columns))
	for i := range values {
		into[i] = &values[i]
	}
	for found.Next() {
		if err := found.Scan(into...); err != nil {
			return err
		}
		fmt.Fprintf(out, "INSERT INTO `%s` (%s) VALUES (", table, list)
		for i, v := range values {
			if i > 0 {
				fmt.Fprint(out, ",")
			}
			fmt.Fprint(out, literal(v, types[i].DatabaseTypeName()))
		}
		fmt.Fprint(out, ");\n")
	}
	return found.Err()
}

func literal(v sql.RawBytes, kind string) string {
	switch {
	case v == nil:
		return "NULL"
	case strings.Contains(kind, "INT"):
		return string(v)
	case strings.Contains(kind, "TIMESTAMP"):
		return "'" + string(v) + "'"
	case len(v) == 0:
		return "''"
	case strings.Contains(kind, "CHAR") || strings.Contains(kind, "TEXT"):
		return "CONVERT(x'" + hex.EncodeToString(v) + "' USING utf8mb4)"
	}
	return "x'" + hex.EncodeToString(v) + "'"
}

func texts(ctx context.Context, db *sql.DB, query string, args ...any) (list []string, err error) {
	found, err := db.QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	defer found.Close()
	for found.Next() {
		var t string
		if err := found.Scan(&t); err != nil {
			return nil, err
		}
		list = append(list, t)
	}
	return list, found.Err()
}
