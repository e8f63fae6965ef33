package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"sync"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"viandante/server"
	"viandante/service"
	"viandante/store"
	"viandante/ui"
)

func serveCommand(e *env) *cobra.Command {
	return &cobra.Command{
		Use: "serve", Short: "Serve what is configured", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return e.run(cmd.Context(), func(context.Context, *store.Store, *service.Service) (*server.Demo, error) { return nil, nil })
		},
	}
}

// run serves until ctx is done. prepare fills the database before the first request; it returns what the demo lets in.
func (e *env) run(ctx context.Context, prepare func(context.Context, *store.Store, *service.Service) (*server.Demo, error)) (err error) {
	began := time.Now()
	listener, err := net.Listen("tcp", e.listen)
	if errors.Is(err, syscall.EADDRINUSE) {
		return fmt.Errorf("the address %s is in use: stop what listens there, or set VIANDANTE_LISTEN to another, e.g. 127.0.0.1:8081", e.listen)
	} else if err != nil {
		return fmt.Errorf("cannot listen on %s: %w; set VIANDANTE_LISTEN, e.g. to 127.0.0.1:8080", e.listen, err)
	}
	defer listener.Close()
	unlock, err := e.lock()
	if err != nil {
		return err
	}
	defer unlock()
	db, closeStore, err := e.openStore(ctx, true)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, closeStore()) }()
	svc := service.New(db, e.regionDir(), e.log)
	demo, err := prepare(ctx, db, svc)
	if err != nil {
		return err
	}
	if err := svc.Load(ctx); err != nil {
		return err
	}
	host, port, err := net.SplitHostPort(listener.Addr().String())
	if err != nil {
		return err
	}
	handler, err := server.New(ctx, server.Config{Service: svc, Store: db, Page: ui.Page(), Hosts: e.hosts,
		Public: !net.ParseIP(host).IsLoopback(), Demo: demo, Log: e.log, Now: time.Now})
	if err != nil {
		return err
	}
	httpServer := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 64 << 10}
	var following sync.WaitGroup
	following.Go(func() { svc.Follow(ctx) })
	served := make(chan error, 1)
	go func() { served <- httpServer.Serve(listener) }()
	if net.ParseIP(host).IsUnspecified() {
		host = "127.0.0.1"
	}
	fmt.Printf("Viandante is ready after %.1f s. Open http://%s\n", time.Since(began).Seconds(), net.JoinHostPort(host, port))
	select {
	case err = <-served:
	case <-ctx.Done():
		fmt.Println("Stopping …")
		grace, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer cancel()
		if err = httpServer.Shutdown(grace); err != nil {
			err = httpServer.Close()
		}
	}
	following.Wait()
	if errors.Is(err, http.ErrServerClosed) {
		err = nil
	}
	return err
}
