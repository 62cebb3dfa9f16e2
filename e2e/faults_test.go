package e2e

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"vastspan/internal/postgres"
	"vastspan/internal/postgres/pgtest"
)

var rounds = flag.Int("rounds", 20, "rounds of kills, half on the service's own database, half on another; six at most in the short run")

// A siege is a service that is killed again and again while its callers go on, and what they were told.
// Each kind of change is made by one caller, so that what has to be there is known; a change that was not
// answered may be there or not.
type siege struct {
	*running
	rng    *rand.Rand
	client http.Client
	// cluster is where the database is somebody else's.
	cluster       *postgres.Server
	clusterFolder string

	mu       sync.Mutex
	loads    map[string]map[int64]*besiegedLoad // by dataset and number
	spans    map[string]map[int64]string        // by name and version
	book     int                                // the newest that was acknowledged
	receipts map[int64]string                   // checksums
	created  []string                           // schedules
	made     int                                // changes that were acknowledged

	keys    map[string]string // by role
	refused int               // how often those were refused who may not
}

type besiegedLoad struct {
	records       int64
	undone, maybe bool // taken out; or perhaps
}

// call asks for something, as who may; ok is whether it was done. What is refused while the service stands is wrong.
func (s *siege) call(method, path, kind, body string, header map[string]string, into any) (ok bool) {
	key := s.keys["analyst"]
	if strings.HasPrefix(path, "/schedules") && method == "POST" || strings.HasPrefix(path, "/audit") {
		key = s.keys["administrator"]
	}
	return s.callAs(key, method, path, kind, body, header, into) < http.StatusMultipleChoices
}

// intrude asks for what one may not: by somebody whose key is good no more, without any, and as a reader who would change
// something. None is ever answered, whatever has just been killed.
func (s *siege) intrude(rng *rand.Rand) {
	for who, key := range map[string]string{"nobody": "", "who was kept out": s.keys["gone"], "a key that is none": "vskey_none"} {
		method, path := []string{"GET", "GET", "POST", "GET"}[rng.IntN(4)], []string{"/spans", "/datasets", "/schedules/run", "/backup"}[rng.IntN(4)]
		status := s.callAs(key, method, path, "application/json", "", nil, nil)
		if status < 400 || status == http.StatusForbidden {
			s.t.Errorf("%s is answered %s %s: %d", who, method, path, status)
		}
		s.count(status)
	}
	status := s.callAs(s.keys["reader"], "POST", "/spans", "application/json", `{"name":"intruder","is":"today"}`, nil, nil)
	if status < 400 || status == http.StatusUnauthorized {
		s.t.Errorf("a reader names a span: %d", status)
	}
	s.count(status)
}

// count counts those who were refused since they may not.
func (s *siege) count(status int) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if status == http.StatusUnauthorized || status == http.StatusForbidden {
		s.refused++
	}
}

// unanswered stands for the status of what was not answered.
const unanswered = 599

// callAs asks for something with a key, and returns the status of the answer.
func (s *siege) callAs(key, method, path, kind, body string, header map[string]string, into any) (status int) {
	q, err := http.NewRequest(method, s.address+"/api/v1"+path, strings.NewReader(body))
	if err != nil {
		s.t.Error(err)
		return unanswered
	}
	if key != "" {
		q.Header.Set("Authorization", "Bearer "+key)
	}
	q.Header.Set("Content-Type", kind)
	for k, v := range header {
		q.Header.Set(k, v)
	}
	r, err := s.client.Do(q)
	if err != nil {
		return unanswered
	}
	defer r.Body.Close()
	text, err := io.ReadAll(r.Body)
	if err != nil || r.StatusCode == http.StatusServiceUnavailable {
		return unanswered
	}
	if r.StatusCode >= 300 {
		if r.StatusCode >= 500 {
			s.t.Errorf("%s %s: %d %s", method, path, r.StatusCode, text)
		}
		return r.StatusCode
	}
	if into != nil {
		if err := json.Unmarshal(text, into); err != nil {
			s.t.Errorf("%s %s: %v: %s", method, path, err, text)
		}
	}
	return r.StatusCode
}

func (s *siege) json(method, path string, body any, header map[string]string, into any) bool {
	text, err := json.Marshal(body)
	if err != nil {
		s.t.Error(err)
	}
	return s.call(method, path, "application/json", string(text), header, into)
}

// acknowledged notes what was answered.
func (s *siege) acknowledged(note func()) {
	s.mu.Lock()
	defer s.mu.Unlock()
	note()
	s.made++
}

type object = map[string]any

// callers are those who make changes, each one after the other.
func (s *siege) callers(seed uint64) []func() {
	var list []func()
	for i := range 3 {
		rng, name := rand.New(rand.NewPCG(seed, uint64(i))), fmt.Sprintf("records-%d", i)
		list = append(list, func() {
			rows := 10 + rng.IntN(8000)
			text := "day,kind,amount\n" + strings.Repeat("2026-09-0"+fmt.Sprint(1+rng.IntN(9))+",a,1\n", rows)
			var load struct{ ID, Records int64 }
			if s.call("POST", "/datasets/"+name+"/loads?date=day&amount=amount&category=kind&again=true", "text/csv", text, nil, &load) {
				s.acknowledged(func() {
					if s.loads[name] == nil {
						s.loads[name] = map[int64]*besiegedLoad{}
					}
					s.loads[name][load.ID] = &besiegedLoad{records: load.Records}
				})
			}
			if rng.IntN(3) > 0 {
				return
			}
			s.mu.Lock()
			var id int64
			for n, l := range s.loads[name] {
				if !l.undone && !l.maybe {
					id = n
					break
				}
			}
			if id > 0 {
				s.loads[name][id].maybe = true
			}
			s.mu.Unlock()
			if id > 0 && s.call("POST", fmt.Sprintf("/datasets/%s/loads/%d/undo", name, id), "application/json", "", nil, nil) {
				s.acknowledged(func() { s.loads[name][id].undone, s.loads[name][id].maybe = true, false })
			}
		})
	}
	var n int
	list = append(list, func() {
		n++
		name, is := fmt.Sprintf("span-%d", n%3), fmt.Sprintf("trailing %d days", 1+n)
		var span struct{ Version int64 }
		if s.json("POST", "/spans", object{"name": name, "is": is}, nil, &span) ||
			s.json("PUT", "/spans/"+name, object{"name": name, "is": is}, map[string]string{"If-Match": "*"}, &span) {
			s.acknowledged(func() {
				if s.spans[name] == nil {
					s.spans[name] = map[int64]string{}
				}
				s.spans[name][span.Version] = is
			})
		}
	}, func() {
		s.mu.Lock()
		next := s.book + 1
		s.mu.Unlock()
		text := "book: 1\nspans:\n"
		for i := range 60 {
			text += fmt.Sprintf("  - {name: book-%d, is: trailing %d days}\n", i, next)
		}
		if s.call("POST", "/book", "application/yaml", text, nil, nil) {
			s.acknowledged(func() { s.book = next })
		}
	}, func() {
		var receipt struct {
			ID       int64
			Checksum string
		}
		query := object{"dataset": "records-0", "over": []string{"2026-09"}, "figures": []string{"count", "sum amount"}}
		if s.json("POST", "/receipts", object{"title": "siege", "total": query}, nil, &receipt) {
			s.acknowledged(func() { s.receipts[receipt.ID] = receipt.Checksum })
		}
	}, func() {
		s.json("POST", "/briefs", object{"name": "brief", "title": "Brief", "items": []any{}}, nil, nil)
		s.mu.Lock()
		name := fmt.Sprintf("schedule-%d-%d", seed, s.made)
		s.mu.Unlock()
		if s.json("POST", "/schedules", object{"name": name, "brief": "brief", "days": "first day of this month"}, nil, nil) {
			s.acknowledged(func() { s.created = append(s.created, name) })
		}
	}, func() { s.intrude(rand.New(rand.NewPCG(seed, rand.Uint64()))) })
	return list
}

// faults are what happens to the service and its database.
func (s *siege) faults() map[string]func() {
	database := func(signal syscall.Signal) {
		if s.cluster != nil {
			text, err := os.ReadFile(filepath.Join(s.clusterFolder, "data", "postmaster.pid"))
			var pid int
			if err == nil {
				_, err = fmt.Sscan(string(text), &pid)
			}
			if err == nil && pid != os.Getpid() {
				_ = syscall.Kill(pid, signal)
			}
			return
		}
		_ = syscall.Kill(s.postmaster(), signal)
	}
	service := func(signal syscall.Signal) { _ = s.process.Process.Signal(signal) }
	return map[string]func(){
		"service killed":  func() { service(syscall.SIGKILL) },
		"database killed": func() { database(syscall.SIGKILL) },
		"both killed":     func() { database(syscall.SIGKILL); service(syscall.SIGKILL) },
		"told to end":     func() { service(syscall.SIGTERM) },
		"frozen": func() {
			database(syscall.SIGSTOP)
			time.Sleep(time.Duration(s.rng.IntN(1500)) * time.Millisecond)
			database(syscall.SIGCONT)
		},
	}
}

// ended reports whether the service's process has ended, and reaps it.
func (s *siege) ended(within time.Duration) bool {
	done := make(chan struct{})
	process := s.process
	go func() { _ = process.Wait(); close(done) }()
	select {
	case <-done:
		return true
	case <-time.After(within):
		return false
	}
}

// round lets the callers go on, lets something happen, and looks at what is there afterwards.
func (s *siege) round(n int) {
	var calling sync.WaitGroup
	stop := make(chan struct{})
	for _, call := range s.callers(uint64(n)) {
		calling.Go(func() {
			for {
				select {
				case <-stop:
					return
				default:
					call()
				}
			}
		})
	}
	time.Sleep(time.Duration(200+s.rng.IntN(700)) * time.Millisecond)
	names := []string{"service killed", "database killed", "both killed", "told to end", "frozen"}
	name := names[s.rng.IntN(len(names))]
	s.faults()[name]()
	time.Sleep(time.Duration(s.rng.IntN(200)) * time.Millisecond)
	close(stop)
	ends := name != "database killed" && name != "frozen"
	if ends && !s.ended(time.Minute) {
		s.t.Fatalf("round %d, %s: the service goes on", n, name)
	}
	calling.Wait()
	if s.t.Failed() {
		s.t.Fatalf("round %d, %s; the log:\n%s", n, name, s.log)
	}
	if ends {
		s.process = nil
		s.awaitCluster()
		s.launch()
	}
	for until := time.Now().Add(time.Minute); !s.call("GET", "/status", "", "", nil, nil); time.Sleep(20 * time.Millisecond) {
		if time.Now().After(until) {
			s.t.Fatalf("round %d, %s: the service does not come back\n%s", n, name, s.log)
		}
	}
	s.prove(fmt.Sprintf("round %d, %s", n, name))
}

// awaitCluster waits until somebody else's database answers again: the service ends where none does.
func (s *siege) awaitCluster() {
	for until := time.Now().Add(time.Minute); s.cluster != nil; time.Sleep(20 * time.Millisecond) {
		conn, err := pgx.Connect(context.Background(), s.cluster.URL)
		if err == nil {
			_ = conn.Close(context.Background())
			return
		}
		if time.Now().After(until) {
			s.t.Fatal(err)
		}
	}
}

// get asks until it is answered: connections that the fault has broken are found out one by one.
func (s *siege) get(what, method, path, kind, body string, into any) {
	for until := time.Now().Add(time.Minute); !s.call(method, path, kind, body, nil, into); time.Sleep(50 * time.Millisecond) {
		if time.Now().After(until) {
			s.t.Fatalf("%s: %s is not answered", what, path)
		}
	}
}

// prove checks that everything that was acknowledged is there, and nothing half.
func (s *siege) prove(what string) {
	for name, loads := range s.loads {
		var page struct {
			Items []struct {
				ID, Records int64
				UndoneAt    *time.Time `json:"undone_at"`
			}
		}
		s.get(what, "GET", "/datasets/"+name+"/loads?limit=1000", "", "", &page)
		var records int64
		found := map[int64]bool{}
		for _, l := range page.Items {
			if l.UndoneAt == nil {
				records += l.Records
			}
			known := loads[l.ID]
			found[l.ID] = true
			if known == nil { // it was not answered, and is there whole
				loads[l.ID] = &besiegedLoad{records: l.Records, undone: l.UndoneAt != nil}
				continue
			}
			if known.maybe {
				known.undone, known.maybe = l.UndoneAt != nil, false
			}
			if known.records != l.Records || known.undone != (l.UndoneAt != nil) {
				s.t.Errorf("%s: load %d of %s is %+v, want %+v", what, l.ID, name, l, *known)
			}
		}
		for id := range loads {
			if !found[id] {
				s.t.Errorf("%s: load %d of %s is lost", what, id, name)
			}
		}
		var v struct{ Records, Wrong int64 }
		s.get(what, "POST", "/datasets/"+name+"/verify", "application/json", "", &v)
		if v.Wrong != 0 || v.Records != records {
			s.t.Errorf("%s: %s has %d records, its loads %d; %d comparisons of its columns are wrong", what, name, v.Records, records, v.Wrong)
		}
	}
	for name, versions := range s.spans {
		var page struct {
			Items []struct {
				Version    int64
				Definition struct{ Is string }
			}
		}
		s.get(what, "GET", "/spans/"+name+"/versions?limit=1000", "", "", &page)
		have := map[int64]string{}
		for i, v := range page.Items {
			have[v.Version] = v.Definition.Is
			if i > 0 && page.Items[i-1].Version != v.Version+1 {
				s.t.Errorf("%s: after version %d of %s comes %d", what, v.Version, name, page.Items[i-1].Version)
			}
		}
		for version, is := range versions {
			if len(page.Items) < 1000 && have[version] != is {
				s.t.Errorf("%s: version %d of %s is %q, want %q", what, version, name, have[version], is)
			}
		}
	}
	s.proveBook(what)
	for id, sum := range s.receipts {
		if s.rng.IntN(len(s.receipts)) > 20 {
			continue // some of them each time
		}
		var receipt struct {
			Checksum string
			Verified bool
		}
		s.get(what, "GET", fmt.Sprintf("/receipts/%d", id), "", "", &receipt)
		if receipt.Checksum != sum || !receipt.Verified {
			s.t.Errorf("%s: receipt %d is %+v, want %s", what, id, receipt, sum)
		}
	}
	for _, name := range s.created {
		if s.rng.IntN(len(s.created)) < 20 {
			s.get(what, "GET", "/schedules/"+name, "", "", nil)
		}
	}
}

// proveBook checks that all spans of the book are of one book, the newest or one that was not answered.
func (s *siege) proveBook(what string) {
	if s.book == 0 {
		return
	}
	var page struct {
		Items []struct{ Definition struct{ Name, Is string } }
	}
	s.get(what, "GET", "/spans?limit=1000", "", "", &page)
	of := map[string]int{}
	for _, span := range page.Items {
		if strings.HasPrefix(span.Definition.Name, "book-") {
			of[span.Definition.Is]++
		}
	}
	newest := 0
	for is := range of {
		if _, err := fmt.Sscanf(is, "trailing %d day", &newest); err != nil {
			s.t.Errorf("%s: %q: %v", what, is, err)
		}
	}
	if len(of) != 1 || newest < s.book {
		s.t.Errorf("%s: the spans of book %d are %v", what, s.book, of)
	}
	s.book = newest
}

// proveAudit checks that the audit has every load, receipt and schedule, each once, by who made it.
func (s *siege) proveAudit() {
	have := map[string]string{}
	for _, kind := range []string{"load", "receipt", "schedule"} {
		after := ""
		for {
			var page struct {
				Items []struct{ Account, Action, Kind, Name string }
				Next  string
			}
			s.get("the audit", "GET", "/audit?limit=1000&kind="+kind+"&after="+after, "", "", &page)
			for _, e := range page.Items {
				key := e.Action + " " + e.Kind + " " + e.Name
				if have[key] != "" {
					s.t.Errorf("the audit has %s twice", key)
				}
				have[key] = e.Account
			}
			if after = page.Next; after == "" {
				break
			}
		}
	}
	want := map[string]string{}
	for _, loads := range s.loads {
		for id, l := range loads {
			want[fmt.Sprintf("loaded load %d", id)] = "ana"
			if l.undone {
				want[fmt.Sprintf("undone load %d", id)] = "ana"
			}
		}
	}
	for id := range s.receipts {
		want[fmt.Sprintf("created receipt %d", id)] = "ana"
	}
	for _, name := range s.created {
		want["created schedule "+name] = "ada"
	}
	for key, by := range want {
		if have[key] != by {
			s.t.Errorf("the audit says of %s that %q did it, want %q", key, have[key], by)
		}
	}
}

// Whatever is killed or frozen, and when: what was acknowledged is there afterwards, nothing is half
// there, columns hold the records, and versions have no gaps.
func TestFaults(t *testing.T) {
	t.Parallel()
	folder, err := os.MkdirTemp("", "vastspan-siege-")
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(folder, 0o755); err != nil { // the database account must reach it
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(folder) })
	other, err := postgres.Start(context.Background(), filepath.Join(folder, "cluster"), postgres.Settings{Forgetful: true})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := other.Stop(); err != nil {
			t.Error(err)
		}
	})
	seed := uint64(time.Now().UnixNano())
	count := *rounds
	if testing.Short() {
		count = min(count, 6)
	}
	for name, open := range map[string]func(*testing.T) *siege{
		"own database": func(t *testing.T) *siege { return &siege{running: startWhole(t)} },
		"another database": func(t *testing.T) *siege {
			return &siege{running: launch(t, pgtest.Database(t, other.URL), ""), cluster: other, clusterFolder: filepath.Join(folder, "cluster")}
		},
	} {
		t.Run(name, func(t *testing.T) {
			s := open(t)
			s.rng, s.client.Timeout = rand.New(rand.NewPCG(seed, 1)), 30*time.Second
			s.keys = s.people()
			s.loads, s.spans, s.receipts = map[string]map[int64]*besiegedLoad{}, map[string]map[int64]string{}, map[int64]string{}
			for n := range count / 2 {
				s.round(n)
				if t.Failed() {
					t.Fatalf("seed %d; the log:\n%s", seed, s.log)
				}
			}
			s.proveAudit()
			if count > 8 && (s.refused == 0 || len(s.receipts) == 0 || len(s.created) == 0 || len(s.spans) == 0 || len(s.loads) == 0) {
				t.Errorf("too little was done: %d refused, %d receipts, %d schedules, %d spans, %d datasets", s.refused, len(s.receipts),
					len(s.created), len(s.spans), len(s.loads))
			}
			t.Logf("%d rounds: %d changes were acknowledged, and all are there; %d times somebody was refused", count/2, s.made, s.refused)
		})
	}
}
