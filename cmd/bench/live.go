package main

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/lot"
	"leancatch/internal/kitchen"
	"leancatch/internal/web"
)

// Boards that are open at once, and events a second, for so long.
const (
	liveBoards = 200
	liveEvents = 5
	liveFor    = 8 * time.Second
)

// shown is when a board asked for its chart, and when it had it.
type shown struct{ asked, got time.Time }

// live times how long it takes from an event to the boards that show it.
func (b *bench) live() error {
	server, err := web.New(b.k, b.k.Log, web.Options{})
	if err != nil {
		return err
	}
	ctx, stop := context.WithCancel(b.ctx)
	defer stop()
	go server.Run(ctx)
	h := httptest.NewServer(server.Handler())
	defer h.Close()
	defer stop() // first: the server waits for its streams
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 2 * liveBoards}}
	a := kitchen.ActorFrom(b.ctx)
	boards := make([][]shown, liveBoards)
	var ready, done sync.WaitGroup
	for i := range boards {
		secret, err := b.k.Impersonate(b.ctx, a.Site, a.Person.ID, kitchen.Origin{})
		if err != nil {
			return err
		}
		ready.Add(1)
		done.Go(func() { boards[i] = watchBoard(ctx, client, h.URL, secret, sync.OnceFunc(ready.Done)) })
	}
	ready.Wait()
	cod, err := uuid.Parse(path.Base(b.cod))
	if err != nil {
		return err
	}
	var events []time.Time
	tick := time.NewTicker(time.Second / liveEvents)
	defer tick.Stop()
	for range liveEvents * int(liveFor.Seconds()) {
		<-tick.C
		w := kitchen.Write{EventID: kitchen.NewID(), LotID: cod, HappenedAt: b.k.Now(), Payload: lot.Temperature{Celsius: 1}}
		events = append(events, time.Now()) // boards hear of it before Append returns
		if err := b.k.Append(b.ctx, w); err != nil {
			return err
		}
	}
	time.Sleep(2 * time.Second)
	stop()
	done.Wait()
	var took []float64
	lost := 0
	for _, e := range events {
		for _, list := range boards {
			i := slices.IndexFunc(list, func(s shown) bool { return s.asked.After(e) })
			if i < 0 {
				lost++
				continue
			}
			took = append(took, float64(list[i].got.Sub(e).Microseconds())/1000)
		}
	}
	slices.Sort(took)
	if len(took) == 0 {
		return fmt.Errorf("no board heard of any event")
	}
	fmt.Printf("| from an event to %d boards, %d events a second: p95 (median), %d of %d not shown | %.0f ms (%.0f ms) | ≤ 200 ms |\n",
		liveBoards, liveEvents, lost, len(took)+lost, took[len(took)*95/100], took[len(took)/2])
	return nil
}

// watchBoard listens as a board does, and asks for the chart whenever something changed.
func watchBoard(ctx context.Context, client *http.Client, url, session string, ready func()) (list []shown) {
	defer ready()
	get := func(path, accept string) (*http.Response, error) {
		req, err := http.NewRequestWithContext(ctx, "GET", url+path, nil)
		if err != nil {
			return nil, err
		}
		req.Header.Set("Accept", accept)
		req.Header.Set("HX-Request", "true")
		req.AddCookie(&http.Cookie{Name: "lc_session", Value: session})
		return client.Do(req)
	}
	mark := markOf(get("/k/bench/board/rows", "text/html"))
	stream, err := get("/k/bench/live", "text/event-stream")
	if err != nil {
		return nil
	}
	defer stream.Body.Close()
	for lines := bufio.NewScanner(stream.Body); lines.Scan(); {
		ready()
		if !strings.HasPrefix(lines.Text(), "event: changed") {
			continue
		}
		s := shown{asked: time.Now()}
		if mark = markOf(get("/k/bench/board/rows?since="+mark, "text/html")); mark == "" {
			return list
		}
		s.got = time.Now()
		list = append(list, s)
	}
	return list
}

// markOf is the mark of a board's rows, from which on a later answer has what is new; "" where there
// is none.
func markOf(answer *http.Response, err error) string {
	if err != nil {
		return ""
	}
	defer answer.Body.Close()
	body, _ := io.ReadAll(answer.Body)
	_, mark, _ := strings.Cut(string(body), `data-mark="`)
	mark, _, _ = strings.Cut(mark, `"`)
	return mark
}
