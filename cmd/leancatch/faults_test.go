package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/cookiejar"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"leancatch/internal/core/lot"
	"leancatch/internal/device"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

// What goes wrong at night: each of these runs the real binary on a PostgreSQL
// of its own, which is durable, and takes one of them away.

// rig is a kitchen on a server that may crash.
type rig struct {
	t     *testing.T
	url   string // of the database
	db    *store.DB
	token string
}

// TestMain drops the server of these tests, where one was started.
func TestMain(m *testing.M) {
	code := m.Run()
	if shared.url != "" {
		postgres("drop")
	}
	os.RemoveAll(shared.dir)
	os.Exit(code)
}

// shared is what the rigs have in common: the binary and the database server.
var shared struct {
	dir, binary, url string
	rigs             int
}

// postgres runs scripts/postgres.sh for the server of these tests.
func postgres(action string) (string, error) { return postgresNamed("faults", action) }

func postgresNamed(name, action string) (string, error) {
	cmd := exec.Command("scripts/postgres.sh", action, name)
	cmd.Dir = "../.."
	out, err := cmd.Output()
	return strings.TrimSpace(string(out)), err
}

func newRig(t *testing.T) *rig {
	t.Helper()
	if testing.Short() || os.Getenv("LEANCATCH_TEST_DB") == "" {
		t.Skip("LEANCATCH_TEST_DB is not set: make test sets it")
	}
	if shared.url == "" {
		var err error
		if shared.dir, err = os.MkdirTemp("", "leancatch"); err != nil {
			t.Fatal(err)
		}
		shared.binary = filepath.Join(shared.dir, "leancatch")
		if out, err := exec.Command("go", "build", "-o", shared.binary, ".").CombinedOutput(); err != nil {
			t.Fatalf("building: %v\n%s", err, out)
		}
		if shared.url, err = postgres("start"); err != nil {
			t.Fatalf("starting PostgreSQL: %v", err)
		}
	}
	shared.rigs++
	name := fmt.Sprintf("rig%d", shared.rigs)
	admin, err := store.Open(context.Background(), shared.url)
	if err != nil {
		t.Fatal(err)
	}
	defer admin.Close()
	if _, err := admin.Pool.Exec(context.Background(), "create database "+name); err != nil {
		t.Fatal(err)
	}
	r := &rig{t: t, url: strings.Replace(shared.url, "/postgres?", "/"+name+"?", 1)}
	if r.db, err = store.Open(context.Background(), r.url); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(r.db.Close)
	r.setUp()
	return r
}

// setUp sets the kitchen up as a person does, by the link that the terminal shows,
// through a server that then stops.
func (r *rig) setUp() {
	r.t.Helper()
	s := r.serve()
	var link []string
	for until := time.Now().Add(10 * time.Second); link == nil && time.Now().Before(until); time.Sleep(10 * time.Millisecond) {
		link = regexp.MustCompile(`http://\S+/setup\?key=(\w+)`).FindStringSubmatch(s.log.String())
	}
	if link == nil {
		r.t.Fatalf("no set-up link: %s", s.log)
	}
	for try, want := range []int{http.StatusSeeOther, http.StatusNotFound} { // it opens once
		client := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error {
			return http.ErrUseLastResponse
		}}
		answer, err := client.PostForm(s.url+"/setup",
			map[string][]string{"key": {link[1]}, "name": {"Quay"}, "time_zone": {"Europe/Oslo"},
				"readings": {"logger"}, "profile": {"house-strict"},
				"owner": {"Mara"}, "user_name": {"mara"}, "password": {"seven grey gulls over wet slate"},
				"places": {"Dock, dock, 6\nCold A, walk_in, 1\nCold B, walk_in, 1"}, "service": {"19:00"}})
		if err != nil {
			r.t.Fatal(err)
		}
		answer.Body.Close()
		if answer.StatusCode != want {
			r.t.Fatalf("set-up, try %d: status %d, want %d", try+1, answer.StatusCode, want)
		}
	}
	s.stop()
	r.token = strings.TrimSpace(r.command("token", "-site", "quay"))
	ctx := context.Background()
	for i, place := range []string{"Cold A", "Cold B"} {
		name := fmt.Sprintf("probe-%d", i)
		_, err := r.db.Pool.Exec(ctx,
			`with p as (insert into probe (site_id, name, kind, interval_s) values (1, $1, 'fixed', 60) returning site_id, id)
			insert into probe_stay (site_id, probe_id, place_id, from_at) select p.site_id, p.id, l.id, '2000-01-01' from p join place l on l.site_id = p.site_id and l.name = $2`, name, place)
		if err != nil {
			r.t.Fatal(err)
		}
	}
}

// command runs the binary to its end and returns what it printed.
func (r *rig) command(args ...string) string {
	r.t.Helper()
	out, err := r.start(args...).Output()
	if err != nil {
		r.t.Fatalf("leancatch %s: %v", args[0], err)
	}
	return string(out)
}

func (r *rig) start(args ...string) *exec.Cmd {
	cmd := exec.Command(shared.binary, args...)
	cmd.Env = append(os.Environ(), "LEANCATCH_DATABASE_URL="+r.url)
	return cmd
}

// said is what a process printed.
type said struct {
	mu sync.Mutex
	b  bytes.Buffer
}

func (s *said) Write(p []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.b.Write(p)
}

func (s *said) String() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.b.String()
}

// process is a running server.
type process struct {
	*exec.Cmd
	r    *rig
	url  string
	log  *said
	once sync.Once
}

// serve starts a server and waits until it is ready.
func (r *rig) serve() *process {
	r.t.Helper()
	p := r.begin()
	p.ready()
	return p
}

// begin starts a server.
func (r *rig) begin() *process {
	r.t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		r.t.Fatal(err)
	}
	addr := listener.Addr().String()
	listener.Close()
	p := &process{r: r, Cmd: r.start("serve", "-addr", addr), url: "http://" + addr, log: &said{}}
	p.Stdout, p.Stderr = p.log, p.log
	if err := p.Start(); err != nil {
		r.t.Fatal(err)
	}
	r.t.Cleanup(func() {
		p.stop()
		if r.t.Failed() {
			r.t.Logf("the server said:\n%s", p.log)
		}
	})
	return p
}

func (p *process) ready() {
	p.r.t.Helper()
	for end := time.Now().Add(40 * time.Second); time.Now().Before(end); time.Sleep(50 * time.Millisecond) {
		answer, err := http.Get(p.url + "/readyz")
		if err == nil {
			answer.Body.Close()
			if answer.StatusCode == http.StatusOK {
				return
			}
		}
	}
	p.r.t.Fatalf("the server is not ready: %s", p.log)
}

func (p *process) stop() {
	p.once.Do(func() {
		p.Process.Signal(syscall.SIGTERM)
		p.Wait()
	})
}

// kill ends it as a power cut does.
func (p *process) kill() {
	p.once.Do(func() {
		p.Process.Kill()
		p.Wait()
	})
}

// stored counts the readings of a probe, and those that its hours hold.
func (r *rig) stored(probe string) (readings, hours int) {
	r.t.Helper()
	err := r.db.Pool.QueryRow(context.Background(),
		`select (select count(*) from reading r where r.probe_id = p.id), (select coalesce(sum(h.readings), 0) from reading_hour h where h.probe_id = p.id)
		from probe p where p.name = $1`, probe).Scan(&readings, &hours)
	if err != nil {
		r.t.Fatal(err)
	}
	return readings, hours
}

// records are readings of a probe each minute, n of them up to now.
func records(probe string, n int) []device.Record {
	now := time.Now().Unix() / 60 * 60
	list := make([]device.Record, n)
	for i := range list {
		list[i] = device.Record{Name: probe, Unit: "Cel", Time: float64(now - int64(n-i)*60),
			Value: 1 + float64(i%7)/10}
	}
	return list
}

// load sends packs of two probes at once until the context ends and returns, by
// probe, how many readings were acknowledged.
func (r *rig) load(urls func() string, list []device.Record, every int) (acknowledged int) {
	for at := 0; at < len(list); at += every {
		pack := list[at:min(at+every, len(list))]
		c := device.Client{URL: urls(), Token: r.token}
		for deadline := time.Now().Add(60 * time.Second); ; time.Sleep(100 * time.Millisecond) {
			c.URL = urls()
			a, err := c.Send(context.Background(), pack...)
			if err == nil {
				acknowledged += a.Stored + a.Duplicate
				break
			}
			if time.Now().After(deadline) {
				r.t.Errorf("not taken in after a minute: %v", err)
				return acknowledged
			}
			pack = nil // the client kept it
		}
	}
	return acknowledged
}

// PostgreSQL is cut off under load, twice: nothing that was acknowledged is
// lost, nothing is there twice, and the application goes on by itself and says so.
func TestPostgresCrashesUnderLoad(t *testing.T) {
	r := newRig(t)
	s := r.serve()
	const n = 4000
	var wait sync.WaitGroup
	acknowledged := make([]int, 2)
	for i := range acknowledged {
		wait.Go(func() {
			acknowledged[i] = r.load(func() string { return s.url }, records(fmt.Sprintf("probe-%d", i), n), 40)
		})
	}
	for range 2 {
		time.Sleep(400 * time.Millisecond)
		if _, err := postgres("crash"); err != nil {
			t.Fatal(err)
		}
		time.Sleep(200 * time.Millisecond)
		if again, err := postgres("start"); err != nil || again != shared.url {
			t.Fatalf("the database came back at another address: %v", err)
		}
	}
	wait.Wait()
	s.ready()
	r.db.Pool.Reset() // its connections broke with the server
	for i := range acknowledged {
		readings, hours := r.stored(fmt.Sprintf("probe-%d", i))
		if acknowledged[i] != n || readings != n || hours != n {
			t.Errorf("probe %d: %d acknowledged, %d stored, %d in the hours; want %d", i, acknowledged[i], readings,
				hours, n)
		}
	}
	if text := s.log.String(); !strings.Contains(text, "the live channel broke, listening again") {
		t.Errorf("it does not say what happened: %s", text)
	}
	// While the database is away, everything says so and what to do; to strangers no more than that.
	if _, err := postgres("crash"); err != nil {
		t.Fatal(err)
	}
	time.Sleep(2500 * time.Millisecond) // for so long it remembers that it was ready
	before := strings.Count(s.log.String(), "\n")
	for range 40 {
		for path, says := range map[string]string{"/sign-in": "The database does not answer", "/api/v1/lots": "nothing was stored", "/readyz": "not ready"} {
			req, _ := http.NewRequest("GET", s.url+path, nil)
			req.Header.Set("Authorization", "Bearer "+r.token)
			answer, err := http.DefaultClient.Do(req)
			if err != nil {
				t.Fatal(err)
			}
			text, _ := io.ReadAll(answer.Body)
			answer.Body.Close()
			if answer.StatusCode != http.StatusServiceUnavailable || !strings.Contains(string(text), says) || path != "/readyz" && answer.Header.Get("Retry-After") == "" {
				t.Fatalf("%s: status %d, %.300s", path, answer.StatusCode, text)
			}
			if path == "/readyz" && string(text) != "not ready\n" {
				t.Fatalf("a stranger is told %q", text)
			}
		}
	}
	if lines := strings.Count(s.log.String(), "\n") - before; lines > 12 {
		t.Errorf("%d lines of the log for an outage of a moment: %s", lines, s.log)
	}
	early := r.begin() // it waits for its database, which comes later
	time.Sleep(300 * time.Millisecond)
	if again, err := postgres("start"); err != nil || again != shared.url {
		t.Fatalf("the database came back at another address: %v", err)
	}
	early.ready()
	if text := early.log.String(); !strings.Contains(text, "Waiting for the database") {
		t.Errorf("it does not say that it waits: %s", text)
	}
	early.stop()
	s.ready()
	r.db.Pool.Reset()

	// A lock that somebody holds is waited for ten seconds, and nothing is stored twice for it.
	blocked, err := r.db.Pool.Begin(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := blocked.Exec(context.Background(), "lock table probe in access exclusive mode"); err != nil {
		t.Fatal(err)
	}
	begin := time.Now()
	answer, err := (&device.Client{URL: s.url, Token: r.token}).Send(context.Background(), records("probe-0", n)[:1]...)
	if took := time.Since(begin); err == nil || !strings.Contains(err.Error(), "503") || took < 9*time.Second || took > 15*time.Second {
		t.Errorf("a slow database answers after %s: %+v, %v", took, answer, err)
	}
	blocked.Rollback(context.Background())
	// It is live again.
	if answer, err := http.Get(s.url + "/k/quay/shift"); err != nil || answer.StatusCode != http.StatusOK {
		t.Errorf("after the crashes: %v, %v", answer, err)
	}
}

// The process is killed in the middle of an import, and under load: what was
// under way is gone whole, what was acknowledged is there, and sent again it is
// stored once.
func TestTheProcessIsKilled(t *testing.T) {
	r := newRig(t)
	const rows = 300_000
	var file strings.Builder
	file.WriteString("time,temp_c\n")
	begin := time.Now().UTC().Add(-rows * time.Minute).Truncate(time.Minute)
	for i := range rows {
		fmt.Fprintf(&file, "%s,%.1f\n", begin.Add(time.Duration(i)*time.Minute).Format("2006-01-02T15:04:05Z"),
			1+float64(i%9)/10)
	}
	path := filepath.Join(t.TempDir(), "logger.csv")
	if err := os.WriteFile(path, []byte(file.String()), 0o600); err != nil {
		t.Fatal(err)
	}
	args := []string{"import", "-site", "quay", "-place", "Cold A", path}
	killed := false
	for delay := 900 * time.Millisecond; delay > 20*time.Millisecond && !killed; delay /= 2 {
		cmd := r.start(args...)
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		time.Sleep(delay)
		cmd.Process.Kill()
		killed = cmd.Wait() != nil
	}
	if !killed {
		t.Fatal("the import was over before it could be killed")
	}
	var n int
	count := func() int {
		if err := r.db.Pool.QueryRow(context.Background(),
			"select count(*) from reading r join probe p on p.site_id = r.site_id and p.id = r.probe_id where "+
				"p.name = 'Cold A, logger'").Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	if got := count(); got != 0 && got != rows {
		t.Errorf("half an import is stored: %d of %d", got, rows)
	}
	out := r.command(args...)
	if got := count(); got != rows || !strings.Contains(out, "readings stored") {
		t.Errorf("%d of %d stored: %s", got, rows, out)
	}

	s := r.serve()
	var mu sync.Mutex
	url := func() string { mu.Lock(); defer mu.Unlock(); return s.url }
	done := make(chan int)
	go func() { done <- r.load(url, records("probe-1", 3000), 50) }()
	time.Sleep(300 * time.Millisecond)
	s.kill()
	next := r.serve()
	mu.Lock()
	s = next
	mu.Unlock()
	if got := <-done; got != 3000 {
		t.Errorf("%d acknowledged, want 3000", got)
	}
	if readings, hours := r.stored("probe-1"); readings != 3000 || hours != 3000 {
		t.Errorf("%d stored, %d in the hours; want 3000", readings, hours)
	}
}

// Devices that misbehave, sent as they do: one repeats a day with each message,
// one has a clock two hours ahead. Their exposure is that of an honest one.
func TestDevicesThatMisbehave(t *testing.T) {
	r := newRig(t)
	s := r.serve()
	now := time.Now().UTC()
	cabinet := func() *device.Cabinet { return device.WalkIn(4) }
	honest := &device.Probe{Name: "probe-0", Cabinet: cabinet(), Interval: time.Minute}
	repeats := &device.Probe{Name: "probe-1", Cabinet: cabinet(), Interval: time.Minute, Repeats: 24 * time.Hour}
	begin := now.Add(-30 * time.Hour).Truncate(time.Hour)
	for _, p := range []*device.Probe{honest, repeats} {
		p.Start(begin)
		client := device.Client{URL: s.url, Token: r.token}
		for at := begin.Add(6 * time.Hour); !at.After(now); at = at.Add(6 * time.Hour) {
			if _, err := client.Send(context.Background(), device.Of(p.Advance(at, nil))...); err != nil {
				t.Fatal(err)
			}
		}
	}
	var differ int
	err := r.db.Pool.QueryRow(context.Background(), `select count(*) from (
		select hour, readings, covered_s, temperate, degree_day from reading_hour where probe_id = (select id from probe where name = 'probe-0')
		except select hour, readings, covered_s, temperate, degree_day from reading_hour where probe_id = (select id from probe where name = 'probe-1')) d`).Scan(&differ)
	a, _ := r.stored("probe-0")
	b, _ := r.stored("probe-1")
	if err != nil || differ != 0 || a != b || a < 24*60 {
		t.Errorf("%d readings and %d with repeats, %d hours differ: %v", a, b, differ, err)
	}

	// A clock that was never set says 1979: each is refused, no month is made, and the probe is told so.
	unset := device.Reading{Name: "probe-1", At: time.Date(1979, 3, 1, 0, 0, 0, 0, time.UTC), Celsius: 1.5}
	for range 2 {
		answer, err := (&device.Client{URL: s.url, Token: r.token}).Send(context.Background(), device.Of([]device.Reading{unset})...)
		if err != nil || answer.Stored != 0 || len(answer.Notes) != 1 || !strings.Contains(answer.Notes[0], "clock is not set") {
			t.Errorf("a reading of 1979: %+v, %v", answer, err)
		}
	}
	var months, notes1979 int
	if err := r.db.Pool.QueryRow(context.Background(), `select (select count(*) from pg_class where relname like 'reading_19%'),
		(select count(*) from probe_note where text like '%not set%')`).Scan(&months, &notes1979); err != nil || months != 0 || notes1979 != 1 {
		t.Errorf("%d months of the last century, %d notes: %v", months, notes1979, err)
	}
	if _, err := r.db.Pool.Exec(context.Background(), "select ensure_reading_month('1979-03-01')"); err == nil {
		t.Error("a month of 1979 can be made")
	}

	// The clock of probe-0 jumps ahead by two hours; messages come each minute.
	client := device.Client{URL: s.url, Token: r.token}
	var notes []string
	for i := range 5 {
		at := time.Now().UTC().Add(2 * time.Hour).Add(time.Duration(i) * time.Second)
		answer, err := client.Send(context.Background(),
			device.Of([]device.Reading{{Name: "probe-0", At: at, Celsius: 1.5}})...)
		if err != nil || answer.Stored != 1 {
			t.Fatalf("%+v, %v", answer, err)
		}
		notes = append(notes, answer.Notes...)
	}
	var ahead time.Time
	if err := r.db.Pool.QueryRow(context.Background(), "select max(at) from reading").Scan(&ahead); err != nil ||
		ahead.After(time.Now().Add(30*time.Second)) {
		t.Errorf("a reading of %s is stored, %v", ahead, err)
	}
	if len(notes) != 1 || !strings.Contains(notes[0], "clock is 2h0m0s ahead") && !strings.Contains(notes[0],
		"clock is 1h59m59s ahead") {
		t.Errorf("it says %q", notes)
	}
}

// Two processes on one database: what happens in one shows live in the other.
func TestTwoProcessesServeOneSite(t *testing.T) {
	r := newRig(t)
	one, other := r.serve(), r.serve()
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	browser := &http.Client{Jar: jar} // signed in by one, a visitor of the other
	if _, err := browser.PostForm(one.url+"/sign-in", map[string][]string{"with": {"password"}, "user_name": {"mara"},
		"password": {"seven grey gulls over wet slate"}}); err != nil {
		t.Fatal(err)
	}
	req, _ := http.NewRequest("GET", other.url+"/k/quay/live", nil)
	req.Header.Set("Accept", "text/event-stream")
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	stream, err := browser.Do(req.WithContext(ctx))
	if err != nil || stream.StatusCode != http.StatusOK {
		t.Fatalf("%v, %v", stream, err)
	}
	defer stream.Body.Close()
	events := make(chan string, 100)
	go func() {
		for lines := bufio.NewScanner(stream.Body); lines.Scan(); {
			if name, ok := strings.CutPrefix(lines.Text(), "event: "); ok {
				events <- name
			}
		}
		close(events)
	}()
	client := device.Client{URL: one.url, Token: r.token}
	heard := false
	for range 40 { // until the other listens to the database
		if _, err := client.Send(ctx, records("probe-0", 1)[0],
			device.Record{Name: "probe-1", Unit: "Cel", Time: float64(time.Now().UnixMilli()) / 1000,
				Value: 1}); err != nil {
			t.Fatal(err)
		}
		select {
		case name := <-events:
			heard = heard || name == "readings"
		case <-time.After(200 * time.Millisecond):
		}
		if heard {
			break
		}
	}
	if !heard {
		t.Fatal("readings that one process took do not show in the other")
	}
	get := func(p *process) (places struct{ Places []struct{ Celsius *float64 } }) {
		req, _ := http.NewRequest("GET", p.url+"/api/v1/places", nil)
		req.Header.Set("Authorization", "Bearer "+r.token)
		answer, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer answer.Body.Close()
		text, _ := io.ReadAll(answer.Body)
		if err := json.Unmarshal(text, &places); err != nil {
			t.Fatal(err)
		}
		return places
	}
	a, b := get(one), get(other)
	if fmt.Sprint(a.Places[2].Celsius != nil, len(a.Places)) != fmt.Sprint(b.Places[2].Celsius != nil,
		len(b.Places)) || b.Places[2].Celsius == nil {
		t.Errorf("%+v and %+v", a, b)
	}
}

// A backup restored on a server that never heard of the application serves, with the same lots and
// chains; an end that was cut off is noticed there, and what a migration back destroys is said first.
func TestBackupAndRestore(t *testing.T) {
	r := newRig(t)
	s := r.serve()
	cod := r.receive()
	before := r.get(s, "/api/v1/lots")
	s.stop()
	folder := filepath.Join(t.TempDir(), "backup")
	r.command("backup", "-to", folder)
	heads := filepath.Join(folder, "heads.jsonl")

	other := os.Getenv("LEANCATCH_TEST_DB") // another server
	admin, err := store.Open(context.Background(), other)
	if err != nil {
		t.Fatal(err)
	}
	defer admin.Close()
	name := fmt.Sprintf("restored_%d", os.Getpid())
	if _, err := admin.Pool.Exec(context.Background(), "create database "+name+" template template0"); err != nil {
		t.Fatal(err)
	}
	defer admin.Pool.Exec(context.Background(), "drop database "+name+" with (force)")
	there := &rig{t: t, url: strings.Replace(other, "/postgres?", "/"+name+"?", 1), token: r.token}
	if out := there.command("restore", "-from", folder); !strings.Contains(out, "lead to where they did") ||
		!strings.Contains(out, "are as they must be") {
		t.Errorf("restoring says %s", out)
	}
	if out, err := there.start("restore", "-from", folder).CombinedOutput(); err == nil || !strings.Contains(string(out), "is not empty") {
		t.Errorf("restoring twice: %s", out)
	}
	again := there.serve()
	if after := there.get(again, "/api/v1/lots"); after != before || !strings.Contains(after, cod) {
		t.Errorf("the lots differ\n%s\n%s", before, after)
	}
	again.stop()

	if there.db, err = store.Open(context.Background(), there.url); err != nil {
		t.Fatal(err)
	}
	defer there.db.Close()
	cut := func(what, sql, says string, args ...string) {
		t.Helper()
		if _, err := there.db.Pool.Exec(context.Background(), "set session_replication_role = replica; "+sql+"; reset session_replication_role"); err != nil {
			t.Fatal(err)
		}
		if out, err := there.start(append([]string{"check"}, args...)...).CombinedOutput(); err == nil || !strings.Contains(string(out), says) {
			t.Errorf("%s: check says %s", what, out)
		}
	}
	back, err := there.start("migrate", "-back-to", "18").CombinedOutput()
	if err == nil || !strings.Contains(string(back), "table known_browser with 1 rows") || !strings.Contains(string(back), "-destroy "+name) {
		t.Errorf("back without consent: %s", back)
	}
	cut("a policy is gone", "drop policy fence on lot", "has no fence")
	cut("a policy is too wide", "create policy fence on lot to leancatch_app using (true)", "another one than it must")
	if _, err := there.db.Pool.Exec(context.Background(), `drop policy fence on lot; create policy fence on lot to leancatch_app
		using (site_id = (select site_in_force())) with check (site_id = (select site_in_force()))`); err != nil {
		t.Fatal(err)
	}
	cut("the last events", "delete from lot_event where seq > 1", "the end was cut off")
	cut("their heads too", "update lot l set head_seq = 1, head_hash = (select hash from lot_event e where e.lot_id = l.id and e.seq = 1)", "is gone, which was there on",
		"-against", heads)
	cut("the end of the audit", "delete from audit where seq > 2", "the end was cut off")
	if out := there.command("migrate", "-back-to", "18", "-destroy", name); !strings.Contains(out, "The schema is that of version 18") {
		t.Errorf("back with consent: %s", out)
	}
	there.command("migrate")
}

// receive puts a lot of cod into the kitchen, looked at once, and returns its id.
func (r *rig) receive() string {
	r.t.Helper()
	ctx := context.Background()
	k := kitchen.New(r.db, slog.New(slog.DiscardHandler))
	site, err := r.db.SiteBySlug(store.Everywhere(ctx), "quay")
	if err != nil {
		r.t.Fatal(err)
	}
	people, err := r.db.People(store.Everywhere(ctx), site.ID)
	if err != nil {
		r.t.Fatal(err)
	}
	ctx = kitchen.WithActor(ctx, kitchen.Actor{Site: kitchen.Site(site), Person: kitchen.Person(people[0])})
	places, err := k.Places(ctx)
	if err != nil {
		r.t.Fatal(err)
	}
	core, at := 0.6, time.Now().Add(-time.Hour)
	d := kitchen.Delivery{ID: kitchen.NewID(), Supplier: "Skua Day-boat", ArrivedAt: at, Lines: []lot.Received{{SpeciesID: "cod", Form: "gutted",
		Count: 2, WeightKg: 5, CoreC: &core, Ice: "well_iced", PlaceID: places[0].ID}}}
	if err := k.Receive(ctx, d); err != nil {
		r.t.Fatal(err)
	}
	board, err := k.Board(ctx)
	if err != nil {
		r.t.Fatal(err)
	}
	id := board.Rows[0].LotID
	if err := k.Append(ctx, kitchen.Write{EventID: kitchen.NewID(), LotID: id, HappenedAt: at.Add(time.Minute), Payload: lot.Temperature{Celsius: 0.8}}); err != nil {
		r.t.Fatal(err)
	}
	return id.String()
}

// get is what the API answers.
func (r *rig) get(s *process, path string) string {
	r.t.Helper()
	req, err := http.NewRequest("GET", s.url+path, nil)
	if err != nil {
		r.t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+r.token)
	answer, err := http.DefaultClient.Do(req)
	if err != nil {
		r.t.Fatal(err)
	}
	defer answer.Body.Close()
	text, err := io.ReadAll(answer.Body)
	if err != nil || answer.StatusCode != http.StatusOK {
		r.t.Fatalf("%s: status %d, %v", path, answer.StatusCode, err)
	}
	return string(text)
}

// The disk of the database is full: what is sent is refused and said to be, nothing half is stored; once
// there is room it goes on, and all that was acknowledged is there. It needs a small file system, which
// only root can mount.
func TestTheDiskIsFull(t *testing.T) {
	newRig(t) // builds the program
	if os.Getuid() != 0 {
		t.Skip("only root can mount a small file system")
	}
	url, err := postgresNamed("full", "start")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { postgresNamed("full", "drop") })
	admin, err := store.Open(context.Background(), url)
	if err != nil {
		t.Fatal(err)
	}
	var dir string
	err = admin.Pool.QueryRow(context.Background(), "show data_directory").Scan(&dir)
	admin.Close()
	if err != nil {
		t.Fatal(err)
	}
	run := func(command string) error {
		out, err := exec.Command("sh", "-c", command).CombinedOutput()
		if err != nil {
			return fmt.Errorf("%s: %w: %s", command, err, out)
		}
		return nil
	}
	if _, err := postgresNamed("full", "stop"); err != nil {
		t.Fatal(err)
	}
	if err := run("mv " + dir + " " + dir + ".aside && mkdir " + dir + " && mount -t tmpfs -o size=130m none " + dir); err != nil {
		t.Skipf("a small file system cannot be mounted here: %v", err)
	}
	t.Cleanup(func() {
		postgresNamed("full", "stop")
		if err := run("umount " + dir); err != nil {
			t.Error(err)
		}
	})
	if err := run("cp -a " + dir + ".aside/. " + dir + " && chown postgres: " + dir + " && chmod 700 " + dir + " && head -c 24M /dev/zero > " + dir + "/ballast"); err != nil {
		t.Fatal(err)
	}
	if url, err = postgresNamed("full", "start"); err != nil {
		t.Fatal(err)
	}
	full := &rig{t: t, url: url}
	if full.db, err = store.Open(context.Background(), url); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(full.db.Close)
	full.setUp()
	s := full.serve()
	all := records("probe-0", 400_000)
	acknowledged := 0
	for {
		if acknowledged+500 > len(all) {
			t.Fatal("the disk does not fill up")
		}
		client := &device.Client{URL: s.url, Token: full.token}
		if _, err := client.Send(context.Background(), all[acknowledged:acknowledged+500]...); err != nil {
			if !strings.Contains(err.Error(), "503") && !strings.Contains(err.Error(), "stored") {
				t.Errorf("refused with %v", err)
			}
			break
		}
		acknowledged += 500
	}
	if err := os.Remove(dir + "/ballast"); err != nil {
		t.Fatal(err)
	}
	if _, err := postgresNamed("full", "start"); err != nil { // where it gave up itself
		t.Fatal(err)
	}
	s.ready()
	full.db.Pool.Reset()
	readings, hours := full.stored("probe-0")
	if readings < acknowledged || readings > acknowledged+500 || readings != hours {
		t.Errorf("%d acknowledged, %d stored, %d in the hours", acknowledged, readings, hours)
	}
	client := &device.Client{URL: s.url, Token: full.token}
	if _, err := client.Send(context.Background(), all[acknowledged:acknowledged+500]...); err != nil {
		t.Errorf("with room again: %v", err)
	}
	if readings, _ = full.stored("probe-0"); readings != acknowledged+500 {
		t.Errorf("%d stored, %d were sent", readings, acknowledged+500)
	}
}
