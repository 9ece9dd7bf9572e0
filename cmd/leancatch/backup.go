package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"

	"github.com/jackc/pgx/v5"

	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

// The files of a backup.
const (
	backupRoles = "roles.sql"   // what the dump's policies and grants are for
	backupDump  = "data.dump"   // pg_dump's custom format: schema, rows, photos
	backupHeads = "heads.jsonl" // where every chain led
)

// rolesSQL makes the roles of the application where they are not there.
const rolesSQL = `do $$ begin
    create role leancatch_app nologin;
exception when duplicate_object then null; end $$;
do $$ begin
    create role leancatch_all nologin;
exception when duplicate_object then null; end $$;
do $$ begin
    execute format('grant leancatch_app, leancatch_all to %I', current_user);
exception when others then null; end $$;
`

// backup writes roles, schema, rows and photos into a folder, and where the chains lead.
func backup(ctx context.Context, flags *flag.FlagSet, args []string) error {
	to := flags.String("to", "", "a folder, which must not be there yet")
	url, err := databaseURL(flags, args)
	if err != nil {
		return err
	}
	if *to == "" {
		return fmt.Errorf("usage: leancatch backup -to FOLDER")
	}
	k, err := openAt(ctx, url)
	if err != nil {
		return err
	}
	defer k.DB.Close()
	if err := os.Mkdir(*to, 0o700); err != nil {
		return err
	}
	// The heads first: whatever is dumped has them, and perhaps more.
	if err := writeHeads(ctx, k, filepath.Join(*to, backupHeads)); err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(*to, backupRoles), []byte(rolesSQL), 0o600); err != nil {
		return err
	}
	if err := postgresTool(ctx, url, "pg_dump", "--format=custom", "--no-owner", "--file", filepath.Join(*to, backupDump)); err != nil {
		return err
	}
	if err := exec.CommandContext(ctx, "pg_restore", "--list", filepath.Join(*to, backupDump)).Run(); err != nil {
		return fmt.Errorf("the dump cannot be read: %w", err)
	}
	fmt.Printf("Backed up into %s. Keep it on another machine, and try leancatch restore on an empty database.\n", *to)
	return nil
}

func writeHeads(ctx context.Context, k *kitchen.Kitchen, name string) error {
	file, err := os.OpenFile(name, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	err = printHeads(ctx, k, file)
	return errors.Join(err, file.Close())
}

// restore reads a backup into an empty database, and checks it.
func restore(ctx context.Context, flags *flag.FlagSet, args []string) error {
	from := flags.String("from", "", "the folder of a backup")
	url, err := databaseURL(flags, args)
	if err != nil {
		return err
	}
	if *from == "" {
		return fmt.Errorf("usage: leancatch restore -from FOLDER -database postgres://…, of an empty database, by its owner's login")
	}
	if err := prepareRestore(ctx, url, filepath.Join(*from, backupRoles)); err != nil {
		return err
	}
	// In one transaction: all of it, or nothing.
	if err := postgresTool(ctx, url, "pg_restore", "--exit-on-error", "--single-transaction", "--no-owner",
		filepath.Join(*from, backupDump)); err != nil {
		return err
	}
	k, err := openAt(ctx, url) // and bring a backup of an earlier version up to date
	if err != nil {
		return err
	}
	defer k.DB.Close()
	kept, err := readHeads(filepath.Join(*from, backupHeads))
	if err != nil {
		return err
	}
	return checkAll(ctx, k, kept)
}

// prepareRestore makes the roles in a database that is empty.
func prepareRestore(ctx context.Context, url, roles string) error {
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		return errors.Join(errors.New("connecting to the database"), err)
	}
	defer conn.Close(context.WithoutCancel(ctx))
	var tables int
	if err := conn.QueryRow(ctx, "select count(*) from pg_class where relnamespace = 'public'::regnamespace").Scan(&tables); err != nil {
		return err
	}
	if tables > 0 {
		return fmt.Errorf("the database %s is not empty: nothing was changed. Make a new one (createdb)", conn.Config().Database)
	}
	sql, err := os.ReadFile(roles)
	if err != nil {
		return err
	}
	_, err = conn.Exec(ctx, string(sql), pgx.QueryExecModeSimpleProtocol)
	if store.IsForbidden(err) {
		return fmt.Errorf("this login may not create roles: run %s as one that may, then restore again", roles)
	}
	return err
}

// postgresTool runs one of PostgreSQL's client programs on the database. Its URL goes by the
// environment: arguments can be read by everybody on the machine.
func postgresTool(ctx context.Context, url, tool string, args ...string) error {
	config, err := pgx.ParseConfig(url)
	if err != nil {
		return errors.New("the database's URL cannot be read")
	}
	cmd := exec.CommandContext(ctx, tool, append(args, "--dbname", config.Database)...)
	cmd.Env = append(os.Environ(), "PGHOST="+config.Host, fmt.Sprintf("PGPORT=%d", config.Port), "PGUSER="+config.User,
		"PGPASSWORD="+config.Password)
	if config.TLSConfig == nil {
		cmd.Env = append(cmd.Env, "PGSSLMODE=disable")
	}
	out, err := cmd.CombinedOutput()
	if errors.Is(err, exec.ErrNotFound) {
		return fmt.Errorf("%s is missing: install postgresql-client", tool)
	} else if err != nil {
		return fmt.Errorf("%s: %w\n%s", tool, err, out)
	}
	return nil
}
