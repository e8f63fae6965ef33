package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"runtime/debug"
	"slices"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"viandante/codec/letters"
	"viandante/server"
	"viandante/service"
	"viandante/service/access"
	"viandante/standin"
	"viandante/store"
	"viandante/ui"
)

func serveCommand(e *env) *cobra.Command {
	nothing := func(context.Context, *store.Store, *service.Service) (*server.Demo, error) { return nil, nil }
	cmd := &cobra.Command{
		Use: "serve", Short: "Serve what is configured", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error { return e.run(cmd.Context(), nothing) },
	}
	e.serveFlags(cmd)
	return cmd
}

// serveFlags are those of every command that serves.
func (e *env) serveFlags(cmd *cobra.Command) {
	cmd.Flags().
		DurationVar(&e.keepChanges, "keep-changes", 0, "how long the change log is kept, e.g. 2160h for 90 days; "+
			"history, undo and streams go back no further. Without it, for ever")
	cmd.Flags().StringVar(&e.phone, "phone", "", "serve phones of this network, too: by HTTPS with a certificate of "+
		"this machine's own, opened by a QR code. An address to listen on, :8443 without one")
	cmd.Flags().Lookup("phone").NoOptDefVal = defaultPhone
}

// run serves until ctx is done. prepare fills the database before the first request; it returns what the demo lets in.
// The port answers from the start: with 503 until everything is loaded.
func (e *env) run(
	ctx context.Context,
	prepare func(context.Context, *store.Store, *service.Service) (*server.Demo, error),
) (err error) {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(50) // what is held has hardly a pointer to follow, so that collecting often costs little
	}
	if e.keepChanges != 0 && e.keepChanges < time.Hour {
		return fmt.Errorf("--keep-changes is a time of at least 1h, e.g. 2160h for 90 days, not %s", e.keepChanges)
	}
	began := time.Now()
	listener, err := net.Listen("tcp", e.listen)
	if errors.Is(err, syscall.EADDRINUSE) {
		return fmt.Errorf(
			"the address %s is in use: stop what listens there, or set VIANDANTE_LISTEN to another, e.g. "+
				"127.0.0.1:8081",
			e.listen,
		)
	} else if err != nil {
		return fmt.Errorf("cannot listen on %s: %w; set VIANDANTE_LISTEN, e.g. to 127.0.0.1:8080", e.listen, err)
	}
	defer listener.Close()
	unlock, err := e.lock()
	if err != nil {
		return err
	}
	defer unlock()
	host, port, err := net.SplitHostPort(listener.Addr().String())
	if err != nil {
		return err
	}
	if !net.ParseIP(host).IsLoopback() && len(e.hosts) == 0 {
		e.log.Warn(
			"listening beyond loopback, but answering under its names only: list those that others use in "+
				"VIANDANTE_HOSTS",
			"listen",
			e.listen,
		)
	}
	current := newSwitch(server.Starting())
	httpServer := server.NewHTTPServer(current, e.log)
	var phones *phoneServer
	if e.phone != "" {
		if phones, err = e.listenForPhones(current); err != nil {
			return err
		}
		defer phones.close()
		go phones.serve()
	}
	served := make(chan error, 1)
	go func() { served <- httpServer.Serve(server.Listener(listener)) }()
	stop := sync.OnceFunc(func() {
		grace, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer cancel()
		if httpServer.Shutdown(grace) != nil {
			_ = httpServer.Close() // what is cut off then has had its time
		}
		if end := <-served; !errors.Is(end, http.ErrServerClosed) {
			err = errors.Join(err, end)
		}
	})
	defer stop()
	db, closeStore, err := e.openStore(ctx, true)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, closeStore()) }()
	fonts, err := letters.Read(ui.Page())
	if err != nil {
		return err
	}
	options := service.Options{KeepChanges: e.keepChanges}
	if fonts != nil {
		options.Fonts = fonts
	}
	svc := service.New(db, e.regionDir(), e.log, options)
	defer svc.Close()
	demo, err := prepare(ctx, db, svc)
	if err != nil {
		return err
	}
	if err := svc.Load(ctx); err != nil {
		return err
	}
	gate := access.NewGate(db, time.Now)
	config := server.Config{Service: svc, Gate: gate, Page: ui.Page(), Hosts: e.hosts, Demo: demo, Log: e.log,
		Receiver: standin.Receiver(), Now: time.Now}
	if phones != nil {
		config.Phone = &phones.phone
		config.Hosts = append(slices.Clone(e.hosts), phones.hosts...)
	}
	handler, err := server.New(ctx, config)
	if err != nil {
		return err
	}
	current.to(handler)
	var following sync.WaitGroup
	following.Go(func() { svc.Run(ctx) })
	following.Go(func() {
		gate.Run(ctx, func(err error) {
			if err != nil && ctx.Err() == nil {
				e.log.Warn("the use of tokens is not written down; trying again", "error", err)
			}
		})
	})
	if e.beside != nil {
		following.Go(func() {
			if err := e.beside(ctx, svc); err != nil {
				e.log.Warn("the wardens do not walk", "error", err)
			}
		})
	}
	defer following.Wait()
	defer stop() // before what its requests rest on is closed
	if net.ParseIP(host).IsUnspecified() {
		host = "127.0.0.1"
	}
	fmt.Printf(
		"Viandante is ready after %.1f s. Open http://%s\n",
		time.Since(began).Seconds(),
		net.JoinHostPort(host, port),
	)
	if phones != nil {
		if err := phones.announce(gate, demo); err != nil {
			return err
		}
	}
	select {
	case end := <-served:
		served <- end
		return end
	case <-ctx.Done():
		fmt.Println("Stopping …")
		return nil
	}
}

// switchable is a handler in whose place another is put.
type switchable struct{ now atomic.Pointer[http.Handler] }

func newSwitch(h http.Handler) *switchable {
	s := &switchable{}
	s.to(h)
	return s
}

func (s *switchable) to(h http.Handler) { s.now.Store(&h) }

func (s *switchable) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	(*s.now.Load()).ServeHTTP(w, r)
}
