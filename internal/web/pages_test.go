package web

import (
	"bufio"
	"bytes"
	"context"
	"io"
	"log/slog"
	"mime/multipart"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
	"leancatch/internal/store/storetest"
)

// browser keeps cookies and follows redirects.
func browser(t *testing.T) *http.Client {
	t.Helper()
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	return &http.Client{Jar: jar}
}

// submit posts a form and returns the status and the page.
func (s *site) submit(path string, fields url.Values) (int, string) {
	s.t.Helper()
	res, err := http.PostForm(s.URL+path, fields)
	s.must(err)
	return s.read(res)
}

func (s *site) get(path string) (int, string) {
	s.t.Helper()
	res, err := http.Get(s.URL + path)
	s.must(err)
	return s.read(res)
}

func (s *site) read(res *http.Response) (int, string) {
	s.t.Helper()
	defer res.Body.Close()
	page, err := io.ReadAll(res.Body)
	s.must(err)
	return res.StatusCode, string(page)
}

// A new installation is set up once, by its link, and needs a sign-in from then on.
func TestFirstStart(t *testing.T) {
	log := slog.New(slog.DiscardHandler)
	k := kitchen.New(storetest.New(t), log)
	server, err := New(k, log, Options{})
	if err != nil {
		t.Fatal(err)
	}
	h := httptest.NewServer(server.Handler())
	defer h.Close()
	s := &site{Server: h, t: t, k: k}

	if status, page := s.get("/"); status != 200 || !strings.Contains(page, "There is no kitchen here yet") {
		t.Fatalf("status %d: %.200s", status, page)
	}
	first, err := k.SetupLink(context.Background())
	s.must(err)
	key, err := k.SetupLink(context.Background())
	s.must(err)
	for _, wrong := range []string{"", "x", first} {
		if status, _ := s.get("/setup?key=" + wrong); status != 404 {
			t.Errorf("set-up with the key %q: status %d", wrong, status)
		}
	}
	if status, page := s.get("/setup?key=" + key); status != 200 || !strings.Contains(page, "Set up your kitchen") {
		t.Fatalf("status %d: %.200s", status, page)
	}
	bad := url.Values{"key": {key}, "name": {"Quay"}, "time_zone": {"Mars/Olympus"}, "profile": {"eu"},
		"readings": {"hand"}, "owner": {"Mara"}, "user_name": {"M!"}, "password": {"password1234"},
		"places": {"Walk-in, cupboard, 1\nDock"}, "service": {"25:00"}}
	status, page := s.submit("/setup", bad)
	for _, text := range []string{"is not a time zone", "25:00", "write name, kind, set temperature", "small letters",
		"would be guessed soon", `value="Mara"`} {
		if status != 422 || !strings.Contains(page, text) {
			t.Errorf("status %d, the page lacks %q", status, text)
		}
	}
	if strings.Contains(page, "password1234") {
		t.Error("a password was sent back")
	}
	bad.Set("profile", "house-strict")
	if _, page := s.submit("/setup", bad); !strings.Contains(page, "needs a logger in every place") {
		t.Error("the strict rules are let into a kitchen that reads by hand")
	}
	good := url.Values{"key": {key}, "name": {"Quay"}, "time_zone": {"Europe/Oslo"}, "profile": {"eu"}, "readings": {"hand"},
		"owner": {"Mara"}, "user_name": {"mara"}, "password": {"seven grey gulls over wet slate"},
		"places": {"Dock, dock, 6\nWalk-in, walk_in, 1"}, "service": {"12:00 19:00"}}
	owner := browser(t)
	res, err := owner.PostForm(h.URL+"/setup", good)
	s.must(err)
	if status, page := s.read(res); status != 200 || !strings.Contains(page, "People of Quay") {
		t.Fatalf("status %d: %.300s", status, page)
	}
	if status, _ := s.submit("/setup", good); status != 404 {
		t.Errorf("set up twice: status %d, want 404", status)
	}
	// Nobody is signed in elsewhere: pages lead there, forms are refused.
	if _, page := s.get("/k/quay/board"); !strings.Contains(page, "User name") {
		t.Errorf("the board without anybody signed in: %.200s", page)
	}
	if status, _ := s.submit("/k/quay/deliveries/receive", url.Values{"lines": {"1"}}); status != 401 {
		t.Errorf("receiving without anybody signed in: status %d, want 401", status)
	}
}

// A person who reads °F and lb types and sees them; what is stored is SI.
func TestScalesOfAPerson(t *testing.T) {
	s := serve(t)
	s.must(s.k.SetScales(s.ctx, "F", "lb", "smell look touch"))
	card := "/k/quay/lots/" + s.lot.LotID.String()
	fields := url.Values{"event_id_new": {kitchen.NewID().String()}, "seen": {"1"}, "celsius": {"33,8"}}
	if status, page := s.submit(card+"/events/temperature", fields); status != 200 || !strings.Contains(page,
		"core temperature 33.8 °F") || !strings.Contains(page, "4.41 lb") {
		t.Fatalf("status %d", status)
	}
	c, err := s.k.Card(s.ctx, s.lot.LotID)
	s.must(err)
	if got := c.State.CoreReadings[1].Celsius; got < 0.999 || got > 1.001 {
		t.Errorf("stored %v °C, want 1", got)
	}
	fields = url.Values{"event_id_new": {kitchen.NewID().String()}, "seen": {"2"}, "celsius": {"cold"},
		"happened_at": {"2026-02-30T10:00"}}
	status, page := s.submit(card+"/events/temperature", fields)
	if status != 422 || !strings.Contains(page, "is not a number") || !strings.Contains(page,
		"is not a date and time") || !strings.Contains(page, `value="cold"`) {
		t.Errorf("status %d: the errors or what was typed are missing", status)
	}
}

// listen opens the live channel and returns its events.
func (s *site) listen(ctx context.Context) <-chan string {
	s.t.Helper()
	req, err := http.NewRequestWithContext(ctx, "GET", s.URL+"/k/quay/live", nil)
	s.must(err)
	res, err := http.DefaultClient.Do(req)
	s.must(err)
	events := make(chan string, 16)
	go func() {
		defer res.Body.Close()
		defer close(events)
		for lines := bufio.NewScanner(res.Body); lines.Scan(); {
			if name, ok := strings.CutPrefix(lines.Text(), "event: "); ok && name != "beat" && name != "at" {
				events <- name
			}
		}
	}()
	return events
}

// expect reloads the board at each event of the live channel, as a browser does,
// until it shows the text.
func (s *site) expect(events <-chan string, text string) {
	s.t.Helper()
	timeout := time.After(10 * time.Second)
	for {
		select {
		case <-events:
			if _, board := s.get("/k/quay/board/rows?view=table"); strings.Contains(board, text) {
				return
			}
		case <-timeout:
			s.t.Fatalf("the board does not show %q in time", text)
		}
	}
}

// A reading reaches an open board in another process: stored by one, projected
// and announced by either.
func TestChangesReachOpenBoards(t *testing.T) {
	s := serve(t)
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	other, err := New(s.k, s.k.Log, Options{SignedIn: true})
	s.must(err)
	ended := make(chan struct{})
	go func() { other.Run(ctx); close(ended) }()
	h := httptest.NewServer(other.Handler())
	defer h.Close()
	viewer := &site{Server: h, t: t, k: s.k}
	live, leave := context.WithCancel(ctx)
	defer leave()
	events := viewer.listen(live)
	for heard := false; !heard; { // until the other process listens to the database
		s.must(s.k.DB.Write(s.ctx, func(tx *store.Tx) error { return tx.Changed(s.ctx, s.lot.SiteID) }))
		select {
		case <-events:
			heard = true
		case <-time.After(100 * time.Millisecond):
		}
	}

	if status, got := s.call("POST", "/api/v1/readings", "application/senml+json",
		`[{"n":"walk-in-1","u":"Cel","v":7.5,"t":0}]`); status != 200 || got["stored"] != 1.0 {
		t.Fatalf("status %d: %v", status, got)
	}
	viewer.expect(events, "7.5 °C")
	s.must(s.k.Append(s.ctx, kitchen.Write{EventID: kitchen.NewID(), LotID: s.lot.LotID, HappenedAt: s.k.Now(),
		Payload: lot.Held{Reason: "papers"}}))
	viewer.expect(events, "on hold")
	stop()
	<-ended
}

// upload sends a file as a browser does and returns the page that follows.
func (s *site) upload(path, name, content string) (int, string, string) {
	s.t.Helper()
	var body bytes.Buffer
	form := multipart.NewWriter(&body)
	part, err := form.CreateFormFile("file", name)
	s.must(err)
	_, err = io.WriteString(part, content)
	s.must(err)
	s.must(form.Close())
	res, err := http.Post(s.URL+path, form.FormDataContentType(), &body)
	s.must(err)
	status, page := s.read(res)
	return status, page, res.Request.URL.Path
}

func TestImportAsksForWhatIsUnclear(t *testing.T) {
	s := serve(t)
	now := time.Now().UTC().Truncate(time.Minute)
	var file strings.Builder
	file.WriteString("zeit;wert\n")
	for i := range 12 {
		file.WriteString(now.Add(time.Duration(i-12)*5*time.Minute).Format("02/01/2006 15:04") + ";34,7\n")
	}
	status, page, path := s.upload("/k/quay/import", "log.csv", file.String())
	if status != 200 || !strings.Contains(page, "The file does not tell the unit: choose") {
		t.Fatalf("status %d", status)
	}
	status, page = s.press(path, url.Values{"target": {"1"}})
	if status != 422 || !strings.Contains(page, "The file does not tell the unit: choose") {
		t.Errorf("stored without an answer: status %d", status)
	}
	answers := url.Values{"unit": {"F"}, "date_order": {"dmy"}}
	if status, page = s.press(path, answers); status != 422 || !strings.Contains(page, "choose where the logger lay") {
		t.Errorf("stored without a place: status %d", status)
	}
	answers.Set("target", "1")
	if status, page = s.press(path, answers); status != 200 || !strings.Contains(page, "Stored") {
		t.Fatalf("status %d", status)
	}
	probe, err := s.k.DB.Probes(s.ctx, 1)
	s.must(err)
	last := probe[len(probe)-1]
	rolled, err := s.k.DB.Rolled(s.ctx, s.k.DB.Queries, last, []coldchain.Span{{From: now.Add(-time.Hour), To: now}})
	s.must(err)
	if e, _ := rolled.Exposure(coldchain.Span{From: now.Add(-time.Hour),
		To: now.Add(-10 * time.Minute)}); e.Max < 1.49 || e.Max > 1.51 {
		t.Errorf("34.7 °F was stored as %v °C by %s", e.Max, last.Name)
	}
	if status, _ := s.submit(path, answers); status != 404 {
		t.Errorf("a file that was stored is still there: status %d", status)
	}
	if status, page, _ = s.upload("/k/quay/import", "", ""); status != 422 || !strings.Contains(page, "choose a file") {
		t.Errorf("no file: status %d", status)
	}
}

// After a change the board draws the lot that changed and no other, and says which are gone.
func TestTheBoardDrawsWhatChanged(t *testing.T) {
	s := serve(t)
	mark := func(page string) string {
		t.Helper()
		found := regexp.MustCompile(`data-mark="(\d+)"`).FindStringSubmatch(page)
		if found == nil {
			t.Fatal("no mark")
		}
		return found[1]
	}
	s.box(3)
	_, page := s.get("/k/quay/board")
	if n := strings.Count(page, `class="lot-row`); n < 2 {
		t.Fatalf("%d rows on the board", n)
	}
	since := mark(page)
	for end := time.Now().Add(time.Minute); ; { // other databases of the server write too: what was new just now may be told again
		_, part := s.get("/k/quay/board/rows?since=" + since)
		if since = mark(part); !strings.Contains(part, `class="lot-row`) {
			break
		}
		if time.Now().After(end) {
			t.Fatal("rows that nobody changes stay new")
		}
		time.Sleep(50 * time.Millisecond)
	}
	write := func(p lot.Payload) {
		t.Helper()
		s.must(s.k.Append(s.ctx, kitchen.Write{EventID: kitchen.NewID(), LotID: s.lot.LotID, HappenedAt: s.k.Now(), Payload: p}))
	}
	write(lot.Held{Reason: "papers"})
	_, part := s.get("/k/quay/board/rows?since=" + since)
	if strings.Count(part, `class="lot-row`) != 1 || !strings.Contains(part, `id="lot-`+s.lot.Code+`"`) || !strings.Contains(part, "on hold") {
		t.Errorf("after a hold: %s", part)
	}
	write(lot.Discarded{Reason: "spoilt"})
	if _, part = s.get("/k/quay/board/rows?since=" + mark(part)); strings.Contains(part, `class="lot-row`) ||
		!strings.Contains(part, `data-gone="lot-`+s.lot.Code+`"`) {
		t.Errorf("after a discard: %s", part)
	}
	if status, _ := s.get("/k/quay/board/rows?since=yesterday"); status != http.StatusNotFound {
		t.Errorf("since yesterday: status %d", status)
	}
}
