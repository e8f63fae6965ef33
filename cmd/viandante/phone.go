package main

import (
	"crypto/tls"
	"errors"
	"fmt"
	"net"
	"net/http"
	"path/filepath"
	"sync"
	"time"

	"github.com/skip2/go-qrcode"

	"viandante/certificate"
	"viandante/server"
	"viandante/service/access"
)

// defaultPhone is where phones are served when --phone names no address.
const defaultPhone = ":8443"

// phoneServer serves the page securely to devices of the same network.
type phoneServer struct {
	listener net.Listener
	server   *http.Server
	phone    server.Phone
	hosts    []string
	served   chan struct{}
}

// serve answers until the server is closed.
func (p *phoneServer) serve() {
	defer close(p.served)
	_ = p.server.ServeTLS(p.listener, "", "") // ends by close
}

func (p *phoneServer) close() {
	_ = p.server.Close() // streams end with their requests
	<-p.served
}

// listenForPhones begins to listen with a certificate of the machine's own; handler answers what is asked.
func (e *env) listenForPhones(handler http.Handler) (*phoneServer, error) {
	host, _, err := net.SplitHostPort(e.phone)
	if err != nil {
		return nil, fmt.Errorf("--phone is an address to listen on, e.g. --phone=:8443, not %q", e.phone)
	}
	addresses, err := certificate.OwnAddresses()
	if err != nil {
		return nil, err
	}
	if ip := net.ParseIP(host); ip != nil && !ip.IsUnspecified() {
		addresses = []net.IP{ip}
	}
	if len(addresses) == 0 {
		return nil, errors.New("this machine has no address in a private network: connect it to the phone's network, " +
			"or name an address, e.g. --phone=192.168.1.20:8443")
	}
	authority, err := certificate.Open(filepath.Join(e.data, "certificate"), time.Now())
	if err != nil {
		return nil, err
	}
	l, err := net.Listen("tcp", e.phone)
	if err != nil {
		return nil, fmt.Errorf("cannot listen for phones on %s: %w; name another address with --phone", e.phone, err)
	}
	_, port, err := net.SplitHostPort(l.Addr().String())
	if err != nil {
		return nil, errors.Join(err, l.Close())
	}
	p := &phoneServer{listener: l, server: server.NewHTTPServer(handler, e.log), served: make(chan struct{})}
	for _, a := range addresses {
		p.hosts = append(p.hosts, a.String())
	}
	p.phone = server.Phone{URL: "https://" + net.JoinHostPort(p.hosts[0], port), Authority: authority.PEM(),
		Fingerprint: authority.Fingerprint()}
	p.server.TLSConfig = &tls.Config{MinVersion: tls.VersionTLS12, GetCertificate: leaves(authority, addresses)}
	return p, nil
}

// leaves returns what gives each connection a certificate for the address that it came to; one is made for each.
func leaves(a *certificate.Authority, known []net.IP) func(*tls.ClientHelloInfo) (*tls.Certificate, error) {
	var mu sync.Mutex
	held := map[string]*tls.Certificate{}
	return func(hello *tls.ClientHelloInfo) (*tls.Certificate, error) {
		at, ok := hello.Conn.LocalAddr().(*net.TCPAddr)
		if !ok {
			return nil, errors.New("no address")
		}
		mu.Lock()
		defer mu.Unlock()
		name := at.IP.String()
		if c := held[name]; c != nil && time.Now().Add(24*time.Hour).Before(c.Leaf.NotAfter) {
			return c, nil
		}
		c, err := a.For(time.Now(), append([]net.IP{at.IP}, known...)...)
		if err != nil {
			return nil, err
		}
		held[name] = &c
		return &c, nil
	}
}

// announce prints where a phone finds the page; for the demo with a code that signs in once.
func (p *phoneServer) announce(gate *access.Gate, demo *server.Demo) error {
	link := p.phone.URL
	if demo != nil {
		code, _, err := gate.Invite(access.Program(demo.Workspace, "demo"))
		if err != nil {
			return err
		}
		link = p.phone.PairingURL(code)
	}
	q, err := qrcode.New(link, qrcode.Medium)
	if err != nil {
		return err
	}
	fmt.Printf("%s\nOn a phone in this network: %s\n", q.ToSmallString(false), link)
	if demo != nil {
		fmt.Println("The link signs in once, within ten minutes; the page has more under “On a phone”.")
	}
	fmt.Printf("Its certificate is this machine's own, and the phone asks whether to trust it. "+
		"SHA-256 of its authority:\n%s\n", p.phone.Fingerprint)
	return nil
}
