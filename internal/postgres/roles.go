package postgres

import (
	"bytes"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/jackc/pgx/v5"
)

// The roles of the private database other than its superuser. The service, and what it restores, works as an ordinary role, which owns
// its tables and nothing else: what is written into a manipulated backup cannot run programs or read files of the server. The audit
// belongs to a role that nobody signs in as, so that the service can add to it and no more.
const (
	serviceRole = "vastspan_service"
	auditRole   = "vastspan_audit"
)

func servicePassword(folder string) string { return filepath.Join(folder, "service.password") }

// Ordinary makes the role of the service where there is none, gives it what an earlier version made as superuser, and returns the
// address under which it connects.
func (s *Server) Ordinary(ctx context.Context) (address string, err error) {
	password, err := s.ordinaryPassword()
	if err != nil {
		return "", err
	}
	err = s.asSuperuser(ctx, func(conn *pgx.Conn) error {
		for _, role := range []string{serviceRole, auditRole} {
			if _, err := conn.Exec(ctx, "DO $$ BEGIN CREATE ROLE "+role+"; EXCEPTION WHEN duplicate_object THEN NULL; END $$"); err != nil {
				return err
			}
		}
		for _, statement := range []string{
			"ALTER ROLE " + serviceRole + " LOGIN NOSUPERUSER NOCREATEDB NOCREATEROLE NOREPLICATION NOBYPASSRLS PASSWORD '" + password + "'",
			"GRANT CREATE ON DATABASE postgres TO " + serviceRole,
			"GRANT USAGE, CREATE ON SCHEMA public TO " + serviceRole,
		} {
			if _, err := conn.Exec(ctx, statement); err != nil {
				return err
			}
		}
		return handOver(ctx, conn)
	})
	return serverURL(s.port, serviceRole, password), err
}

// Guard hands the audit to the role that nobody signs in as. It is called when the tables have been made.
func (s *Server) Guard(ctx context.Context) error {
	return s.asSuperuser(ctx, func(conn *pgx.Conn) error {
		_, err := conn.Exec(ctx, `
			ALTER TABLE audit OWNER TO `+auditRole+`;
			ALTER FUNCTION audit_stays() OWNER TO `+auditRole+`;
			GRANT SELECT, INSERT ON audit TO `+serviceRole+`;
			GRANT USAGE, SELECT ON SEQUENCE audit_id_seq TO `+serviceRole)
		return err
	})
}

// handOver gives the service what is the superuser's in its database.
func handOver(ctx context.Context, conn *pgx.Conn) error {
	rows, err := conn.Query(ctx, `
		SELECT format('ALTER %s %s OWNER TO `+serviceRole+`', kind, name) FROM (
			SELECT 'SCHEMA' AS kind, quote_ident(nspname) AS name, nspowner AS owner, nspname, 0 AS place FROM pg_namespace WHERE nspname <> 'public'
			UNION ALL
			SELECT CASE relkind WHEN 'S' THEN 'SEQUENCE' WHEN 'v' THEN 'VIEW' ELSE 'TABLE' END, c.oid::regclass::text, relowner, nspname, 1
			FROM pg_class c JOIN pg_namespace n ON n.oid = relnamespace
			WHERE relkind IN ('r', 'p', 'v', 'S') AND NOT EXISTS (
				SELECT FROM pg_depend d WHERE d.objid = c.oid AND d.classid = 'pg_class'::regclass AND d.deptype IN ('a', 'i') AND relkind = 'S')
			UNION ALL
			SELECT 'FUNCTION', p.oid::regprocedure::text, proowner, nspname, 2 FROM pg_proc p JOIN pg_namespace n ON n.oid = pronamespace
		) all_of_them
		WHERE owner = current_user::regrole AND nspname NOT LIKE 'pg\_%' AND nspname <> 'information_schema' ORDER BY place`)
	if err != nil {
		return err
	}
	statements, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return err
	}
	for _, statement := range statements {
		if _, err := conn.Exec(ctx, statement); err != nil {
			return fmt.Errorf("%s: %w", statement, err)
		}
	}
	return nil
}

func (s *Server) asSuperuser(ctx context.Context, work func(*pgx.Conn) error) (err error) {
	conn, err := pgx.Connect(ctx, s.URL)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, conn.Close(ctx)) }()
	return work(conn)
}

// ordinaryPassword returns the password of the service's role, made where there is none.
func (s *Server) ordinaryPassword() (string, error) {
	path := servicePassword(s.folder)
	text, err := os.ReadFile(path)
	if password := string(bytes.TrimSpace(text)); err == nil && password != "" && !strings.ContainsAny(password, `'\`) {
		return password, nil
	}
	password := rand.Text()
	file, err := openOwned(path, os.O_WRONLY|os.O_TRUNC, s.cred)
	if err != nil {
		return "", err
	}
	_, err = file.WriteString(password + "\n")
	return password, errors.Join(err, file.Close())
}
