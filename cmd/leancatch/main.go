// Command leancatch keeps the freshness and the cold chain of whole fish.
//
//	leancatch serve     serve the application on the database
//	leancatch demo      the same with invented data, made where the database is empty
//	leancatch migrate   bring the database's schema up to date, by the owner's login
//	leancatch import    store a logger's CSV file
//	leancatch rebuild   make the projections again from events and readings
//	leancatch check     verify every chain, and that the database is as it must be
//	leancatch heads     print the last link of every chain, to be kept elsewhere
//	leancatch backup    write all into a folder, by the owner's login
//	leancatch restore   read such a folder into an empty database
//	leancatch retain    drop readings older than some months; their hours stay
//	leancatch account   make somebody an owner, or let an owner in again
//	leancatch password  set the password of an account, read from the input
//	leancatch unlock    lift what too many wrong passwords locked
//	leancatch token     make a token for the JSON API
//	leancatch simulate  play a probe, a thermometer and a scale that send to a running application, or a label printer
//	leancatch version   say which program this is
//
// The database is named by LEANCATCH_DATABASE_URL or -database; docs/operations.md tells of both logins.
package main

import (
	"cmp"
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"maps"
	"os"
	"os/signal"
	"slices"
	"strings"
	"syscall"

	"leancatch/internal/core/unit"
	"leancatch/internal/intake"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := run(ctx, os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "leancatch:", err)
		os.Exit(1)
	}
}

// commands by name.
var commands = map[string]func(context.Context, *flag.FlagSet, []string) error{
	"serve": serve, "demo": demoCommand, "migrate": migrate, "import": importCommand, "rebuild": rebuild,
	"check": check, "heads": heads, "backup": backup, "restore": restore, "retain": retain, "account": account,
	"password": password, "unlock": unlock, "token": token, "simulate": simulate, "version": version,
}

func run(ctx context.Context, args []string) error {
	if len(args) == 0 || commands[args[0]] == nil {
		return fmt.Errorf("usage: leancatch %s [flags]", strings.Join(slices.Sorted(maps.Keys(commands)), "|"))
	}
	flags := flag.NewFlagSet("leancatch "+args[0], flag.ContinueOnError)
	flags.String("database", "", "postgres:// URL of the database; LEANCATCH_DATABASE_URL where empty")
	return commands[args[0]](ctx, flags, args[1:])
}

// databaseURL parses the flags and returns the URL of the database. It is no flag's default: that
// would be printed with the help, and has a password in it.
func databaseURL(flags *flag.FlagSet, args []string) (string, error) {
	if err := flags.Parse(args); err != nil {
		return "", err
	}
	url := cmp.Or(flags.Lookup("database").Value.String(), os.Getenv("LEANCATCH_DATABASE_URL"))
	if url == "" {
		return "", fmt.Errorf("no database: set LEANCATCH_DATABASE_URL or -database to a postgres:// URL")
	}
	return url, nil
}

// open parses the flags and opens the database, which it brings up to date where its login may.
func open(ctx context.Context, flags *flag.FlagSet, args []string) (*kitchen.Kitchen, error) {
	url, err := databaseURL(flags, args)
	if err != nil {
		return nil, err
	}
	return openAt(ctx, url)
}

func openAt(ctx context.Context, url string) (*kitchen.Kitchen, error) {
	db, err := store.Open(ctx, url)
	if err != nil {
		return nil, err
	}
	if err = db.Migrated(ctx); errors.Is(err, store.ErrSchema) {
		if err = db.Migrate(ctx); store.IsForbidden(err) {
			err = store.ErrSchema
		}
	}
	if err != nil {
		db.Close()
		return nil, err
	}
	return kitchen.New(db, slog.New(slog.NewTextHandler(os.Stderr, nil))), nil
}

// actAs puts a person of a site into the context: the first manager or owner
// where none is named.
func actAs(ctx context.Context, k *kitchen.Kitchen, slug, name string) (context.Context, error) {
	all := store.Everywhere(ctx)
	site, err := k.DB.SiteBySlug(all, slug)
	if err != nil {
		return ctx, fmt.Errorf("kitchen %q: %w", slug, err)
	}
	people, err := k.DB.People(all, site.ID)
	if err != nil {
		return ctx, err
	}
	for _, p := range people {
		a := kitchen.Actor{Site: kitchen.Site(site), Person: kitchen.Person(p)}
		if p.LeftAt == nil && (p.Name == name || name == "" && a.IsManager()) {
			return kitchen.WithActor(ctx, a), nil
		}
	}
	return ctx, fmt.Errorf("there is nobody named %q at %s", name, slug)
}

func importCommand(ctx context.Context, flags *flag.FlagSet, args []string) error {
	site := flags.String("site", "", "the kitchen, as in its address")
	person := flags.String("person", "", "who imports; the first manager where empty")
	place := flags.String("place", "", "the place where the logger lay")
	scale := flags.String("unit", "", "C or F, where the file does not tell")
	order := flags.String("dates", "", "dmy, mdy or ymd, where the file does not tell")
	column := flags.Int("column", 0, "which column has the temperature, from 1, where several could")
	k, err := open(ctx, flags, args)
	if err != nil {
		return err
	}
	defer k.DB.Close()
	if flags.NArg() != 1 {
		return fmt.Errorf("usage: leancatch import -site harbour -place \"Walk-in\" FILE")
	}
	if ctx, err = actAs(ctx, k, *site, *person); err != nil {
		return err
	}
	places, err := k.Places(ctx)
	if err != nil {
		return err
	}
	var target kitchen.Target
	for _, p := range places {
		if p.Name == *place {
			target.PlaceID = p.ID
		}
	}
	file, err := os.Open(flags.Arg(0))
	if err != nil {
		return err
	}
	defer file.Close()
	again := func() io.Reader { return io.NewSectionReader(file, 0, 1<<62) }
	chosen := kitchen.Choices{Unit: unit.TempScale(*scale), DateOrder: intake.DateOrder(*order)}
	if *column > 0 {
		*column--
		chosen.TempColumn = column
	}
	got, err := k.ImportFile(ctx, again, chosen, target)
	if err != nil {
		return err
	}
	fmt.Printf("%d readings stored, %d were here already, %d lines bad.\n", got.Stored, got.Duplicate, got.Bad)
	for _, bad := range got.BadRows {
		fmt.Printf("  line %d: %s\n", bad.Line, bad.Why)
	}
	return nil
}
