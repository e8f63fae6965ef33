// Package certificate makes the certificates with which a server on somebody's own network speaks HTTPS: an authority
// of its own, kept in the data directory, and below it a certificate for the addresses that the machine has now. A
// browser gives its position to secure pages only, so a phone needs one.
//
// The authority may sign for private networks and loopback alone (RFC 5280, 4.2.1.10), so that whoever trusts it on a
// phone trusts it with nothing else.
package certificate

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"strings"
	"time"
)

const (
	// authorityTime and leafTime are how long they are good; some browsers take no leaf of more than 398 days.
	authorityTime = 10 * 365 * 24 * time.Hour
	leafTime      = 390 * 24 * time.Hour
	authorityFile = "authority.pem"
	keyFile       = "authority.key"
)

// Authority signs for the machine's own addresses.
type Authority struct {
	certificate *x509.Certificate
	key         *ecdsa.PrivateKey
}

// Open reads the authority of a directory, and makes it where there is none or where it has run out.
func Open(dir string, now time.Time) (*Authority, error) {
	a, err := read(dir)
	if err == nil && now.Add(leafTime).Before(a.certificate.NotAfter) {
		return a, nil
	} else if err != nil && !errors.Is(err, os.ErrNotExist) {
		return nil, fmt.Errorf("the authority in %s cannot be read: %w; delete it to have another", dir, err)
	}
	return create(dir, now)
}

func read(dir string) (*Authority, error) {
	certificate, err := readPEM(filepath.Join(dir, authorityFile), "CERTIFICATE")
	if err != nil {
		return nil, err
	}
	key, err := readPEM(filepath.Join(dir, keyFile), "EC PRIVATE KEY")
	if err != nil {
		return nil, err
	}
	a := &Authority{}
	if a.certificate, err = x509.ParseCertificate(certificate); err != nil {
		return nil, err
	}
	a.key, err = x509.ParseECPrivateKey(key)
	return a, err
}

func readPEM(file, kind string) ([]byte, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	block, _ := pem.Decode(text)
	if block == nil || block.Type != kind {
		return nil, fmt.Errorf("%s is no %s", file, kind)
	}
	return block.Bytes, nil
}

func create(dir string, now time.Time) (*Authority, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, err
	}
	var private []*net.IPNet
	for _, text := range []string{"10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "169.254.0.0/16", "127.0.0.0/8",
		"100.64.0.0/10", "fc00::/7", "fe80::/10", "::1/128"} {
		_, network, err := net.ParseCIDR(text)
		if err != nil {
			return nil, err
		}
		private = append(private, network)
	}
	number, err := serial()
	if err != nil {
		return nil, err
	}
	template := &x509.Certificate{
		SerialNumber: number, Subject: pkix.Name{CommonName: "Viandante on your own network"},
		NotBefore: now.Add(-time.Hour), NotAfter: now.Add(authorityTime), IsCA: true, BasicConstraintsValid: true,
		MaxPathLenZero: true, KeyUsage: x509.KeyUsageCertSign, PermittedIPRanges: private,
		PermittedDNSDomains: []string{"localhost", "local"}, PermittedDNSDomainsCritical: true,
	}
	der, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	if err != nil {
		return nil, err
	}
	keyDER, err := x509.MarshalECPrivateKey(key)
	if err != nil {
		return nil, err
	}
	certificate, err := x509.ParseCertificate(der)
	return &Authority{certificate, key}, errors.Join(err, os.MkdirAll(dir, 0o700),
		write(filepath.Join(dir, keyFile), "EC PRIVATE KEY", keyDER, 0o600),
		write(filepath.Join(dir, authorityFile), "CERTIFICATE", der, 0o644))
}

func write(file, kind string, der []byte, mode os.FileMode) error {
	return os.WriteFile(file, pem.EncodeToMemory(&pem.Block{Type: kind, Bytes: der}), mode)
}

func serial() (*big.Int, error) { return rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 127)) }

// For returns a certificate for some addresses of this machine.
func (a *Authority) For(now time.Time, addresses ...net.IP) (tls.Certificate, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return tls.Certificate{}, err
	}
	number, err := serial()
	if err != nil {
		return tls.Certificate{}, err
	}
	template := &x509.Certificate{
		SerialNumber: number, Subject: pkix.Name{CommonName: "Viandante"}, IPAddresses: addresses,
		DNSNames: []string{"localhost"}, NotBefore: now.Add(-time.Hour), NotAfter: now.Add(leafTime),
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
	}
	der, err := x509.CreateCertificate(rand.Reader, template, a.certificate, &key.PublicKey, a.key)
	if err != nil {
		return tls.Certificate{}, err
	}
	leaf, err := x509.ParseCertificate(der)
	return tls.Certificate{Certificate: [][]byte{der, a.certificate.Raw}, PrivateKey: key, Leaf: leaf}, err
}

// PEM is the authority's certificate, as a phone takes it that is to trust it.
func (a *Authority) PEM() []byte {
	return pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: a.certificate.Raw})
}

// Fingerprint is the SHA-256 of the authority's certificate, in pairs of hexadecimal digits, to compare by eye.
func (a *Authority) Fingerprint() string {
	sum := sha256.Sum256(a.certificate.Raw)
	return strings.ReplaceAll(fmt.Sprintf("% X", sum[:]), " ", ":")
}

// OwnAddresses are those under which other machines of the same network reach this one, IPv4 first.
func OwnAddresses() ([]net.IP, error) {
	all, err := net.InterfaceAddrs()
	if err != nil {
		return nil, err
	}
	var four, six []net.IP
	for _, a := range all {
		n, ok := a.(*net.IPNet)
		if !ok || n.IP.IsLoopback() || n.IP.IsLinkLocalUnicast() || !n.IP.IsPrivate() {
			continue
		}
		if v4 := n.IP.To4(); v4 != nil {
			four = append(four, v4)
		} else {
			six = append(six, n.IP)
		}
	}
	return append(four, six...), nil
}
