package postgres

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
)

// forgetful is how servers run here: that the machine breaks down is not tried.
var forgetful = Settings{Forgetful: true}

func folder(t *testing.T) string {
	t.Helper()
	path, err := os.MkdirTemp("", "vastspan-postgres-")
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(path, 0o755); err != nil { // the database account must reach it
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(path) })
	return path
}

func ask(t *testing.T, url, query string) string {
	t.Helper()
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	var text string
	if err := conn.QueryRow(ctx, query).Scan(&text); err != nil {
		t.Fatal(err)
	}
	return text
}

func keep(t *testing.T, url string) {
	t.Helper()
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	if _, err := conn.Exec(ctx, "CREATE TABLE kept AS SELECT 'still here'::text AS what"); err != nil {
		t.Fatal(err)
	}
}

// start starts a server and stops it at the end of the test.
func start(t *testing.T, path string) *Server {
	t.Helper()
	s, err := Start(context.Background(), path, forgetful)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	})
	return s
}

// crashed starts a server and leaves it running with nobody to watch it.
func crashed(t *testing.T, path string) *Server {
	t.Helper()
	s, err := Start(context.Background(), path, forgetful)
	if err != nil {
		t.Fatal(err)
	}
	close(s.stopped)
	s.watched.Wait()
	t.Cleanup(func() { s.process.end() }) // where the test fails early; it has ended otherwise
	return s
}

// setLine changes a line of the pid file of a folder's server.
func setLine(t *testing.T, path string, line int, text string) {
	t.Helper()
	file := filepath.Join(dataFolder(path), "postmaster.pid")
	old, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	lines := strings.Split(string(old), "\n")
	lines[line-1] = text
	if err := os.WriteFile(file, []byte(strings.Join(lines, "\n")), 0o600); err != nil {
		t.Fatal(err)
	}
}

// kill ends a server as a crash of the machine does and waits until it has gone.
func (s *Server) kill(t *testing.T) {
	t.Helper()
	s.mu.Lock()
	p := s.process
	s.mu.Unlock()
	if err := syscall.Kill(p.pid, syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	<-p.exited
}

// copyFolder copies a folder with its owners.
func copyFolder(t *testing.T, from, to string) {
	t.Helper()
	if out, err := exec.Command("cp", "-a", from+"/.", to).CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
}

// A server that runs already in the folder, as after a crash of the service, is taken over with what it
// holds, and is stopped in the end.
func TestAServerIsTakenOver(t *testing.T) {
	ctx := context.Background()
	path := folder(t)
	first := crashed(t, path)
	keep(t, first.URL)
	second, err := Start(ctx, path, forgetful)
	if err != nil {
		t.Fatal(err)
	}
	if second.URL != first.URL {
		t.Errorf("a second server runs at %s beside %s", second.URL, first.URL)
	}
	if got := ask(t, second.URL, "SELECT what FROM kept"); got != "still here" {
		t.Errorf("it holds %q", got)
	}
	if err := second.Stop(); err != nil {
		t.Fatal(err)
	}
	select {
	case <-first.process.exited:
	case <-time.After(30 * time.Second):
		t.Error("the server that was taken over still runs")
	}
	if _, err := os.Stat(filepath.Join(dataFolder(path), "postmaster.pid")); !os.IsNotExist(err) {
		t.Errorf("its pid file is left: %v", err)
	}
	// The data is there at the next start.
	third, err := Start(ctx, path, forgetful)
	if err != nil {
		t.Fatal(err)
	}
	if got := ask(t, third.URL, "SELECT what FROM kept"); got != "still here" {
		t.Errorf("at the next start it holds %q", got)
	}
	if err := third.Stop(); err != nil {
		t.Error(err)
	}
}

// The server is for this machine alone, and asks for the password.
func TestTheServerIsPrivate(t *testing.T) {
	ctx := context.Background()
	path := folder(t)
	s, err := Start(ctx, path, forgetful)
	if err != nil {
		t.Fatal(err)
	}
	defer func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	}()
	if got := ask(t, s.URL, "SHOW listen_addresses"); got != "127.0.0.1" {
		t.Errorf("it listens on %s", got)
	}
	config, err := pgx.ParseConfig(s.URL)
	if err != nil {
		t.Fatal(err)
	}
	config.Password = "guessed"
	if conn, err := pgx.ConnectConfig(ctx, config); err == nil {
		_ = conn.Close(ctx)
		t.Error("any password opens it")
	} else if strings.Contains(err.Error(), "refused the connection") {
		t.Errorf("it does not answer: %v", err)
	}
	info, err := os.Stat(filepath.Join(path, "password"))
	if err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("its password lies open: %v, %v", info.Mode(), err)
	}
}

// A server that ends by itself is started again, at its address and with what it holds: our own, and one
// that was taken over.
func TestAServerThatEndsIsStartedAgain(t *testing.T) {
	path := folder(t)
	keep(t, crashed(t, path).URL)
	s := start(t, path)
	for range 2 { // the first is taken over, the second our own
		s.kill(t)
		until := time.Now().Add(time.Minute)
		for s.Trouble() == nil && time.Now().Before(until) {
			time.Sleep(time.Millisecond)
		}
		for s.Trouble() != nil && time.Now().Before(until) {
			time.Sleep(10 * time.Millisecond)
		}
		if got := ask(t, s.URL, "SELECT what FROM kept"); got != "still here" {
			t.Errorf("it holds %q", got)
		}
	}
}

// A copy of a folder whose database runs is refused, and its original is left in peace.
func TestACopyDoesNotWorkOnItsOriginal(t *testing.T) {
	path, other := folder(t), folder(t)
	original := start(t, path)
	keep(t, original.URL)
	copyFolder(t, path, other)
	if s, err := Start(context.Background(), other, forgetful); err == nil {
		_ = s.Stop()
		t.Error("a copy comes up")
	} else if !strings.Contains(err.Error(), "was copied while its database was running in "+dataFolder(path)) {
		t.Error(err)
	}
	if got := ask(t, original.URL, "SELECT what FROM kept"); got != "still here" {
		t.Errorf("the original holds %q", got)
	}
}

// A copy of a folder at rest is a database of its own.
func TestACopyOfAFolderAtRest(t *testing.T) {
	path, other := folder(t), folder(t)
	original, err := Start(context.Background(), path, forgetful)
	if err != nil {
		t.Fatal(err)
	}
	keep(t, original.URL)
	if err := original.Stop(); err != nil {
		t.Fatal(err)
	}
	copyFolder(t, path, other)
	one, two := start(t, path), start(t, other)
	if one.URL == two.URL {
		t.Error("both are at one address")
	}
	if got := ask(t, two.URL, "SELECT what FROM kept"); got != "still here" {
		t.Errorf("the copy holds %q", got)
	}
}

// The number in a pid file that a crash has left may be another server's by now.
func TestAnotherServerIsLeftAlone(t *testing.T) {
	path := folder(t)
	other := start(t, folder(t))
	s := crashed(t, path)
	keep(t, s.URL)
	s.kill(t)
	setLine(t, path, 1, fmt.Sprint(other.process.pid))
	again := start(t, path)
	if got := ask(t, again.URL, "SELECT what FROM kept"); got != "still here" {
		t.Errorf("it holds %q", got)
	}
	if got := ask(t, other.URL, "SHOW data_directory"); got != dataFolder(other.folder) {
		t.Errorf("the other server answers %q", got)
	}
}

// A server that has ended and was not reaped, or that is just ending, does not hold the next one up.
func TestAServerThatHasEndedIsNotWaitedFor(t *testing.T) {
	path := folder(t)
	s := crashed(t, path)
	keep(t, s.URL)
	s.kill(t)
	named := filepath.Join(folder(t), "postgres")
	if err := os.Symlink("/bin/true", named); err != nil {
		t.Fatal(err)
	}
	unreaped := exec.Command(named)
	if err := unreaped.Start(); err != nil {
		t.Fatal(err)
	}
	defer func() { _ = unreaped.Wait() }()
	setLine(t, path, 1, fmt.Sprint(unreaped.Process.Pid))
	next := crashed(t, path)
	if err := syscall.Kill(next.process.pid, syscall.SIGINT); err != nil {
		t.Fatal(err)
	}
	if got := ask(t, start(t, path).URL, "SELECT what FROM kept"); got != "still here" {
		t.Errorf("it holds %q", got)
	}
}

// A password that is not the database's is told at once, and the server that runs is left alone.
func TestAWrongPassword(t *testing.T) {
	ctx := context.Background()
	path := folder(t)
	s := crashed(t, path)
	for password, want := range map[string]string{"guessed\n": "does not take the password", "\n": "is empty"} {
		if err := os.WriteFile(passwordFile(path), []byte(password), 0o600); err != nil {
			t.Fatal(err)
		}
		if other, err := Start(ctx, path, forgetful); err == nil {
			_ = other.Stop()
			t.Errorf("the password %q opens it", password)
		} else if !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v", password, err)
		}
	}
	if got := ask(t, s.URL, "SHOW data_checksums"); got != "on" {
		t.Errorf("checksums of its pages are %s", got)
	}
}

// A link instead of a file of the folder is not followed.
func TestLinksAreNotFollowed(t *testing.T) {
	target := filepath.Join(folder(t), "target")
	if err := os.WriteFile(target, []byte("kept"), 0o600); err != nil {
		t.Fatal(err)
	}
	for _, link := range []func(string, string) error{os.Symlink, os.Link} {
		path := folder(t)
		for _, name := range []string{"lock", "password"} {
			if err := link(target, filepath.Join(path, name)); err != nil {
				t.Fatal(err)
			}
		}
		if unlock, err := Lock(path); err == nil {
			unlock()
			t.Error("the lock follows a link")
		}
		if s, err := Start(context.Background(), path, forgetful); err == nil {
			_ = s.Stop()
			t.Error("the password follows a link")
		}
	}
	if text, err := os.ReadFile(target); err != nil || string(text) != "kept" {
		t.Errorf("the file that was linked to holds %q, %v", text, err)
	}
}

// A server can be had on a port that is stated, and its address be found out by who may read its folder.
func TestTheAddressOfAServer(t *testing.T) {
	path := folder(t)
	if _, err := Address(path); err == nil {
		t.Error("a folder without a server has an address")
	}
	port, err := freePort()
	if err != nil {
		t.Fatal(err)
	}
	for range 2 {
		s, err := Start(context.Background(), path, Settings{Port: port})
		if err != nil {
			t.Fatal(err)
		}
		address, err := Address(path)
		if err != nil || address != s.URL || !strings.Contains(address, fmt.Sprintf(":%d/", port)) {
			t.Errorf("%s, want %s at port %d: %v", address, s.URL, port, err)
		}
		if got := ask(t, address, "SELECT current_user::text"); got != superuser {
			t.Errorf("asked as %s", got)
		}
		if err := s.Stop(); err != nil {
			t.Fatal(err)
		}
		if _, err := Address(path); err == nil || !strings.Contains(err.Error(), "no database runs") {
			t.Errorf("after it has stopped: %v", err)
		}
	}
}

// try runs a statement and returns its error.
func try(t *testing.T, url, statement string) error {
	t.Helper()
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, statement)
	return err
}

// The service works as a role that runs no programs and reads no files of the server; it owns its tables, those that an earlier version
// made as superuser among them, and can add to the audit and no more.
func TestTheServiceIsAnOrdinaryRole(t *testing.T) {
	ctx := context.Background()
	s, err := Start(ctx, folder(t), forgetful)
	if err != nil {
		t.Fatal(err)
	}
	defer func() {
		if err := s.Stop(); err != nil {
			t.Error(err)
		}
	}()
	for _, statement := range []string{ // as an earlier version made them
		"CREATE SCHEMA records", "CREATE TABLE records.fares (id bigserial PRIMARY KEY, fare numeric)", "CREATE VIEW seen AS SELECT 1 AS one",
		"CREATE TABLE audit (id bigserial PRIMARY KEY, what text)",
		"CREATE FUNCTION audit_stays() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE EXCEPTION 'only added to'; END $$",
		"CREATE TRIGGER audit_stays BEFORE UPDATE OR DELETE OR TRUNCATE ON audit FOR EACH STATEMENT EXECUTE FUNCTION audit_stays()",
	} {
		if err := try(t, s.URL, statement); err != nil {
			t.Fatal(err)
		}
	}
	var address string
	for range 2 { // each start does it again
		if address, err = s.Ordinary(ctx); err != nil {
			t.Fatal(err)
		}
		if err := s.Guard(ctx); err != nil {
			t.Fatal(err)
		}
	}
	if strings.Contains(address, s.password) {
		t.Error("the service knows the superuser's password")
	}
	for _, statement := range []string{
		"ALTER TABLE records.fares ADD COLUMN note text", "INSERT INTO records.fares (fare) VALUES (1)", "DROP VIEW seen",
		"CREATE TABLE more (n int)", "CREATE SCHEMA days", "INSERT INTO audit (what) VALUES ('signed in')",
	} {
		if err := try(t, address, statement); err != nil {
			t.Errorf("%s: %v", statement, err)
		}
	}
	for _, statement := range []string{
		"COPY (SELECT 1) TO PROGRAM 'true'", "SELECT pg_read_file('/etc/passwd')", "COPY records.fares TO '/tmp/fares'", "CREATE ROLE other SUPERUSER",
		"SET ROLE " + superuser, "SET ROLE " + auditRole, "ALTER TABLE audit DISABLE TRIGGER ALL", "DROP TRIGGER audit_stays ON audit",
		"DROP TABLE audit", "DELETE FROM audit", "UPDATE audit SET what = ''", "TRUNCATE audit", "ALTER TABLE audit OWNER TO " + serviceRole,
		"CREATE OR REPLACE FUNCTION audit_stays() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RETURN NULL; END $$",
		"ALTER ROLE " + serviceRole + " SUPERUSER", "SET session_replication_role = replica",
	} {
		if err := try(t, address, statement); err == nil {
			t.Errorf("the service may %s", statement)
		}
	}
	if got := ask(t, address, "SELECT count(*)::text FROM audit"); got != "1" {
		t.Errorf("the audit has %s entries", got)
	}
	if at, err := Address(s.folder); err != nil || at != address {
		t.Errorf("the address is %s, want %s: %v", at, address, err)
	}
}

// A data folder names the process that uses it, so that the process can be stopped.
func TestWhoHoldsAFolder(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "data")
	if pid, runs := Holder(folder); runs || pid != 0 {
		t.Errorf("a folder that is not there is held by %d, %v", pid, runs)
	}
	unlock, err := Lock(folder)
	if err != nil {
		t.Fatal(err)
	}
	if pid, runs := Holder(folder); !runs || pid != os.Getpid() {
		t.Errorf("held by %d, %v, want this process %d", pid, runs, os.Getpid())
	}
	if _, err := Lock(folder); err == nil || !strings.Contains(err.Error(), "vastspan stop") {
		t.Errorf("a second one: %v", err)
	}
	unlock()
	if pid, runs := Holder(folder); runs || pid != 0 {
		t.Errorf("given up, it is held by %d, %v", pid, runs)
	}
}
