package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	"leancatch/internal/demo"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
	"leancatch/internal/web"
)

func serve(ctx context.Context, flags *flag.FlagSet, args []string) error {
	addr := addrFlag(flags)
	url := flags.String("url", os.Getenv("LEANCATCH_URL"),
		"how people reach it, as https://fish.example; by https, cookies are sent by that alone")
	proxies := flags.String("proxies", os.Getenv("LEANCATCH_PROXIES"),
		"addresses or networks of the proxies in front, with commas: what they say of where a request comes from is believed")
	db, err := databaseURL(flags, args)
	if err != nil {
		return err
	}
	k, err := waitFor(ctx, db)
	if err != nil {
		return err
	}
	defer k.DB.Close()
	if err := k.DB.CheckPooler(ctx); err != nil {
		return err
	}
	reached := strings.TrimSuffix(*url, "/")
	if *url == "" {
		*url = "http://" + *addr
	}
	tls := strings.HasPrefix(*url, "https://")
	if host, _, _ := net.SplitHostPort(*addr); !web.IsLoopback(host) && !tls {
		k.Log.Warn("people reach this address without https: passwords and PINs travel in the open; put TLS before "+
			"it and say -url https://…", "addr", *addr)
	}
	key, err := k.SetupLink(ctx)
	if err != nil {
		return err
	}
	opts := web.Options{TLS: tls, URL: reached, Proxies: strings.FieldsFunc(*proxies, func(r rune) bool { return r == ',' || r == ' ' })}
	return listen(ctx, k, *addr, opts, func() {
		if key != "" {
			fmt.Printf("Set up the first kitchen, once, within a day: %s/setup?key=%s\n",
				strings.TrimSuffix(*url, "/"), key)
		}
	})
}

// waitFor opens the database; where it does not answer yet, as when both start with the machine, it
// tries again until the context ends.
func waitFor(ctx context.Context, url string) (*kitchen.Kitchen, error) {
	var said time.Time
	for {
		k, err := openAt(ctx, url)
		if err == nil || !store.IsAway(err) || ctx.Err() != nil {
			return k, err
		}
		if time.Since(said) > 10*time.Second {
			said = time.Now()
			fmt.Fprintln(os.Stderr, "Waiting for the database:", err)
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(500 * time.Millisecond):
		}
	}
}

// demoCommand serves invented data. It is made where the database has no site,
// and kept otherwise.
func demoCommand(ctx context.Context, flags *flag.FlagSet, args []string) error {
	addr := addrFlag(flags)
	data := flags.String("data", ".data", "folder to which the token of the JSON API and the password are written")
	others := flags.Bool("serve-others", false,
		"serve the demo to other machines too, which sign in as its people; its PINs are known to everybody")
	fill := flags.Bool("fill", false, "make the data, and end without serving it")
	k, err := open(ctx, flags, args)
	if err != nil {
		return err
	}
	defer k.DB.Close()
	if host, _, err := net.SplitHostPort(*addr); err != nil || !web.IsLoopback(host) && !*others {
		return fmt.Errorf(
			"the demo is served on loopback only, not on %s: say -serve-others if others are to reach it", *addr)
	}
	sites, err := k.Sites(ctx)
	if err != nil {
		return err
	}
	if len(sites) == 0 {
		fmt.Println("Inventing three weeks of fish …")
		keys, err := demo.Fill(ctx, k)
		if err != nil {
			return fmt.Errorf("making the demo: %w", err)
		}
		for name, secret := range map[string]string{"demo-token": keys.Token, "demo-password": keys.Password} {
			if err := os.WriteFile(filepath.Join(*data, name), []byte(secret+"\n"), 0o600); err != nil {
				return err
			}
		}
	}
	if *fill {
		return nil
	}
	return listen(ctx, k, *addr, web.Options{Demo: true, SignedIn: true}, func() {
		demo.Simulate(ctx, k, "http://"+*addr)
	})
}

func addrFlag(flags *flag.FlagSet) *string {
	addr := os.Getenv("LEANCATCH_ADDR")
	if addr == "" {
		addr = "127.0.0.1:8420"
	}
	return flags.String("addr", addr, "address to listen on")
}

// stopWithin is how long requests under way may take to end.
const stopWithin = 5 * time.Second

// listen serves until the context ends, then lets requests end. Beside it runs
// what is given, from when it takes requests on.
func listen(ctx context.Context, k *kitchen.Kitchen, addr string, opts web.Options, beside ...func()) error {
	s, err := web.New(k, k.Log, opts)
	if err != nil {
		return err
	}
	listener, err := net.Listen("tcp", addr)
	if err != nil {
		return fmt.Errorf("%w: choose another address with -addr or LEANCATCH_ADDR", err)
	}
	server := &http.Server{Handler: s.Handler(), ReadHeaderTimeout: 10 * time.Second, ReadTimeout: 2 * time.Minute,
		WriteTimeout: 2 * time.Minute,
		IdleTimeout:  2 * time.Minute, MaxHeaderBytes: 64 << 10}
	go s.Run(ctx)
	for _, run := range beside { // the listener queues what comes before Serve
		go run()
	}
	done := make(chan error, 1)
	go func() {
		<-ctx.Done()
		end, cancel := context.WithTimeout(context.WithoutCancel(ctx), stopWithin)
		defer cancel()
		done <- server.Shutdown(end)
	}()
	fmt.Printf("Lean Catch listens on http://%s/ (Ctrl-C ends it)\n", listener.Addr())
	if err := server.Serve(listener); !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return <-done
}
