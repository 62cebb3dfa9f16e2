package postgres

import (
	"context"
	"errors"
	"net/url"

	"github.com/jackc/pgx/v5"
)

// Beside makes another database in the server, should it not be there, and returns its address. It is told whether the
// database is new.
func (s *Server) Beside(ctx context.Context, name string) (address string, made bool, err error) {
	conn, err := pgx.Connect(ctx, s.URL)
	if err != nil {
		return "", false, err
	}
	defer func() { err = errors.Join(err, conn.Close(ctx)) }()
	var there bool
	if err := conn.QueryRow(ctx, "SELECT EXISTS (SELECT FROM pg_database WHERE datname = $1)", name).Scan(&there); err != nil {
		return "", false, err
	}
	if !there {
		if _, err := conn.Exec(ctx, "CREATE DATABASE "+pgx.Identifier{name}.Sanitize()); err != nil {
			return "", false, err
		}
	}
	u, err := url.Parse(s.URL)
	if err != nil {
		return "", false, err
	}
	u.Path = "/" + name
	return u.String(), !there, nil
}
