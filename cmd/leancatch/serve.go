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
	"time"

	"leancatch/internal/demo"
	"leancatch/internal/kitchen"
	"leancatch/internal/web"
)

func serve(ctx context.Context, flags *flag.FlagSet, args []string) error {
	addr := addrFlag(flags)
	k, err := open(ctx, flags, args)
	if err != nil {
		return err
	}
	defer k.DB.Close()
	return listen(ctx, k, *addr, web.Options{})
}

// demoCommand serves invented data. It is made where the database has no site,
// and kept otherwise.
func demoCommand(ctx context.Context, flags *flag.FlagSet, args []string) error {
	addr := addrFlag(flags)
	data := flags.String("data", ".data", "folder to which the token of the JSON API is written")
	k, err := open(ctx, flags, args)
	if err != nil {
		return err
	}
	defer k.DB.Close()
	if host, _, err := net.SplitHostPort(*addr); err != nil || !isLoopback(host) {
		return fmt.Errorf("the demo is served on loopback only, not on %s: it has no sign-in", *addr)
	}
	sites, err := k.DB.Sites(ctx)
	if err != nil {
		return err
	}
	if len(sites) == 0 {
		fmt.Println("Inventing three weeks of fish …")
		token, err := demo.Fill(ctx, k)
		if err != nil {
			return fmt.Errorf("making the demo: %w", err)
		}
		if err := os.WriteFile(filepath.Join(*data, "demo-token"), []byte(token+"\n"), 0o600); err != nil {
			return err
		}
	}
	return listen(ctx, k, *addr, web.Options{Demo: true, SignedIn: true}, func() { demo.Simulate(ctx, k, "http://"+*addr) })
}

func addrFlag(flags *flag.FlagSet) *string {
	addr := os.Getenv("LEANCATCH_ADDR")
	if addr == "" {
		addr = "127.0.0.1:8420"
	}
	return flags.String("addr", addr, "address to listen on")
}

func isLoopback(host string) bool {
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback()
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
	if host, _, _ := net.SplitHostPort(addr); !isLoopback(host) {
		k.Log.Warn("there is no sign-in yet: whoever reaches this address can write", "addr", addr)
	}
	server := &http.Server{Handler: s.Handler(), ReadHeaderTimeout: 10 * time.Second, ReadTimeout: 2 * time.Minute, WriteTimeout: 2 * time.Minute,
		IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 64 << 10}
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
