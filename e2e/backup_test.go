package e2e

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"vastspan/internal/postgres/pgtest"
)

// salesFile writes a file of records over 1,000 days, each time other ones.
func salesFile(t *testing.T, folder string, turn, records int) string {
	t.Helper()
	var b strings.Builder
	b.WriteString("day,region,amount\n")
	day := time.Date(2024, 1, 1, 0, 0, 0, 0, time.UTC)
	for i := range records {
		fmt.Fprintf(&b, "%s,region %d,%d.%02d\n", day.AddDate(0, 0, (i*7+turn)%1000).Format(time.DateOnly), i%9, i+turn, i%100)
	}
	file := filepath.Join(folder, fmt.Sprintf("sales %d.csv", turn))
	if err := os.WriteFile(file, []byte(b.String()), 0o600); err != nil {
		t.Fatal(err)
	}
	return file
}

// other runs a command line apart from any service.
func (s *running) other(env []string, args ...string) (string, error) {
	cmd := exec.Command(binary, args...)
	cmd.Env = append(os.Environ(), env...)
	out, err := cmd.CombinedOutput()
	return string(out), err
}

// A backup that is made while files are loaded holds one state, whole loads only; it is restored into an empty service, which
// then says the same, and into no other.
func TestBackupAndRestore(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("load", "sales", salesFile(t, s.folder, 0, 20_000), "--date", "day", "--amount", "amount", "--category", "region")
	s.must("span", "add", "closed", "last full month")
	s.must("total", "sales", "--over", "2026-05", "--sum", "amount", "--receipt", "May")
	var loading sync.WaitGroup
	begun := make(chan struct{})
	loading.Go(func() {
		for turn := range 8 {
			s.run("load", "sales", salesFile(t, s.folder, 1+turn, 20_000), "--date", "day")
			if turn == 1 {
				close(begun)
			}
		}
	})
	<-begun
	file := filepath.Join(s.folder, "kept.zip")
	if out := s.must("backup", file); !strings.Contains(out, "kept.zip") || !strings.Contains(out, "bytes") {
		t.Errorf("%s", out)
	}
	loading.Wait()
	s.refused(1, "already exists", "backup", file)

	folder := filepath.Join(s.folder, "restored")
	out, err := s.other(nil, "restore", file, "--data", folder)
	if err != nil || !strings.Contains(out, "1 dataset") || !strings.Contains(out, "all sums verified") || !strings.Contains(out, "1 receipt") {
		t.Fatalf("%s: %v", out, err)
	}
	if out, err := s.other(nil, "restore", file, "--data", folder); err == nil || !strings.Contains(out, "is not empty") {
		t.Errorf("into what is there: %s, %v", out, err)
	}
	again := &running{t: t, command: "serve", folder: folder}
	again.launch()
	defer again.stop()
	var records, loads int
	list := csvRows(t, again.must("dataset", "list", "--output", "csv"))
	if _, err := fmt.Sscan(strings.ReplaceAll(list[0]["records"], ",", ""), &records); err != nil {
		t.Fatal(err)
	}
	if loads = len(csvRows(t, again.must("loads", "sales", "--output", "csv"))); records != loads*20_000 {
		t.Errorf("%d records of %d loads", records, loads)
	}
	if entries := csvRows(t, again.must("audit", "--kind", "load", "--action", "loaded", "--limit", "1000", "--output", "csv")); len(entries) != loads {
		t.Errorf("the audit has %d of %d loads", len(entries), loads)
	}
	for _, load := range csvRows(t, again.must("loads", "sales", "--output", "csv"))[:loads-1] {
		again.must("loads", "undo", "sales", load["load"])
	}
	for what, args := range map[string][]string{
		"a total":   {"total", "sales", "--over", "2024", "--sum", "amount", "--median", "amount", "--by", "region", "--output", "csv", "--as-of", "2026-10-19"},
		"a span":    {"resolve", "@closed", "--as-of", "2026-10-19"},
		"a receipt": {"receipt", "list", "--output", "csv"},
	} {
		if what == "a total" {
			for turn := range 8 {
				s.must("loads", "undo", "sales", fmt.Sprint(turn+2))
			}
		}
		if a, b := strings.ReplaceAll(s.must(args...), s.address, ""), strings.ReplaceAll(again.must(args...), again.address, ""); a != b {
			t.Errorf("%s: restored\n%s\nwas\n%s", what, b, a)
		}
	}
}

// What is not a whole backup is refused before anything is made of it.
func TestBackupsThatAreNotWhole(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("load", "sales", salesFile(t, s.folder, 0, 3000), "--date", "day")
	file := filepath.Join(s.folder, "kept.zip")
	s.must("backup", file)
	whole, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	broken := bytes.Clone(whole)
	broken[len(broken)/2] ^= 1
	later := filepath.Join(s.folder, "later.zip")
	writeZip(t, file, later, func(text string) string {
		return strings.Replace(text, `"migrations": [`, `"migrations": ["2099-01-later", `, 1)
	})
	for name, c := range map[string]struct {
		content []byte
		says    string
	}{
		"half.zip": {whole[:len(whole)/2], "not a whole backup"}, "broken.zip": {broken, "not a whole backup"}, "empty.zip": {nil, "not a whole backup"},
		"text.zip": {[]byte("day,amount\n"), "not a whole backup"},
	} {
		path := filepath.Join(s.folder, name)
		if err := os.WriteFile(path, c.content, 0o600); err != nil {
			t.Fatal(err)
		}
		folder := filepath.Join(s.folder, "into-"+name)
		if out, err := s.other(nil, "restore", path, "--data", folder); err == nil || !strings.Contains(out, c.says) {
			t.Errorf("%s: %s, %v", name, out, err)
		}
		if _, err := os.Stat(folder); err == nil {
			t.Errorf("%s: something was made of it", name)
		}
	}
	empty := pgtest.Database(t, cluster.URL)
	if out, err := s.other([]string{"VASTSPAN_DATABASE=" + empty}, "restore", later, "--data", s.folder); err == nil || !strings.Contains(out, "later version") {
		t.Errorf("of a later version: %s, %v", out, err)
	}
	if out, err := s.other([]string{"VASTSPAN_DATABASE=" + empty}, "restore", file, "--data", filepath.Join(s.folder, "columns")); err != nil {
		t.Errorf("into another database: %s, %v", out, err)
	}
	if out, err := s.other([]string{"VASTSPAN_DATABASE=" + s.url}, "restore", file, "--data", s.folder); err == nil || !strings.Contains(out, "is not empty") {
		t.Errorf("into the database of a service: %s, %v", out, err)
	}
}

// writeZip copies an archive with another manifest.
func writeZip(t *testing.T, from, to string, change func(manifest string) string) {
	t.Helper()
	in, err := zip.OpenReader(from)
	if err != nil {
		t.Fatal(err)
	}
	defer in.Close()
	out, err := os.Create(to)
	if err != nil {
		t.Fatal(err)
	}
	defer out.Close()
	w := zip.NewWriter(out)
	for _, f := range in.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		text, err := io.ReadAll(r)
		if err != nil {
			t.Fatal(err)
		}
		if f.Name == "manifest.json" {
			text = []byte(change(string(text)))
		}
		entry, err := w.Create(f.Name)
		if err == nil {
			_, err = entry.Write(text)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
}

// A service that is killed in the middle of a backup leaves no file.
func TestABackupThatBreaksOff(t *testing.T) {
	t.Parallel()
	s := start(t)
	s.must("load", "sales", salesFile(t, s.folder, 0, 400_000), "--date", "day")
	folder := filepath.Join(s.folder, "backups")
	if err := os.Mkdir(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	done := make(chan result)
	go func() { done <- s.run("backup", filepath.Join(folder, "kept.zip")) }()
	for until := time.Now().Add(time.Minute); ; time.Sleep(time.Millisecond) {
		if list, err := os.ReadDir(folder); err == nil && len(list) > 0 {
			if info, err := list[0].Info(); err == nil && info.Size() > 0 { // it has begun
				break
			}
		}
		if time.Now().After(until) {
			t.Fatal("the backup does not begin")
		}
	}
	s.kill()
	r := <-done
	list, err := os.ReadDir(folder)
	if err != nil {
		t.Fatal(err)
	}
	if r.code == 0 && len(list) == 1 { // it was quicker
		t.Skip("the backup was made before the service was killed")
	}
	if r.code == 0 || len(list) != 0 || !strings.Contains(r.err, "was not written") {
		t.Errorf("code %d, %v is left: %s%s", r.code, list, r.out, r.err)
	}
}

// On a disk that is full a backup is absent and leaves nothing, and a restore says so and can be tried again with room.
func TestBackupOnAFullDisk(t *testing.T) {
	t.Parallel()
	small := filepath.Join(t.TempDir(), "small")
	if err := os.Mkdir(small, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := syscall.Mount("tmpfs", small, "tmpfs", 0, "size=256k,mode=755"); err != nil {
		t.Skipf("a small disk takes root: %v", err)
	}
	defer func() {
		if err := syscall.Unmount(small, syscall.MNT_DETACH); err != nil {
			t.Error(err)
		}
	}()
	s := start(t)
	s.must("load", "sales", salesFile(t, s.folder, 0, 60_000), "--date", "day", "--amount", "amount", "--category", "region")
	file := filepath.Join(small, "sales.zip")
	if r := s.run("backup", file); r.code != 1 || !strings.Contains(r.err, "no space left") || !strings.Contains(r.err, "was not written") {
		t.Errorf("a backup onto a full disk ended with %d: %s%s", r.code, r.out, r.err)
	}
	left, err := os.ReadDir(small)
	if err != nil || len(left) > 0 {
		t.Errorf("on the full disk there is %v, %v", left, err)
	}
	roomy := filepath.Join(s.folder, "sales.zip")
	s.must("backup", roomy)
	// The private database needs more than there is.
	if out, err := s.other([]string{"VASTSPAN_DATABASE="}, "restore", roomy, "--data", small); err == nil {
		t.Errorf("restored onto a full disk: %s", out)
	}
	if out, err := s.other([]string{"VASTSPAN_DATABASE=" + pgtest.Database(t, cluster.URL)}, "restore", roomy, "--data", filepath.Join(s.folder, "restored")); err != nil || !strings.Contains(out, "all sums verified") {
		t.Errorf("restored with room: %v %s", err, out)
	}
}
