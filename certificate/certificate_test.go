package certificate

import (
	"crypto/x509"
	"net"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAPhoneThatTrustsTheAuthorityTrustsTheMachine(t *testing.T) {
	dir, now := t.TempDir(), time.Now()
	a, err := Open(dir, now)
	require.NoError(t, err)
	again, err := Open(dir, now)
	require.NoError(t, err)
	assert.Equal(t, a.Fingerprint(), again.Fingerprint(), "it is kept")
	info, err := os.Stat(filepath.Join(dir, keyFile))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm(), "its key is nobody else's")
	roots := x509.NewCertPool()
	require.True(t, roots.AppendCertsFromPEM(a.PEM()))
	for address, good := range map[string]bool{"192.168.1.20": true, "127.0.0.1": true, "8.8.8.8": false} {
		c, err := again.For(now, net.ParseIP(address))
		require.NoError(t, err)
		leaf, err := x509.ParseCertificate(c.Certificate[0])
		require.NoError(t, err)
		_, err = leaf.Verify(x509.VerifyOptions{Roots: roots, DNSName: "[" + address + "]"})
		assert.Equal(t, good, err == nil, "%s: %v: it signs for private networks alone", address, err)
		_, err = leaf.Verify(x509.VerifyOptions{Roots: roots, DNSName: "[192.168.9.9]"})
		assert.Error(t, err)
	}
	later, err := Open(dir, now.Add(authorityTime-leafTime/2))
	require.NoError(t, err)
	assert.NotEqual(t, a.Fingerprint(), later.Fingerprint(), "one that runs out is replaced")
	require.NoError(t, os.WriteFile(filepath.Join(dir, authorityFile), []byte("nonsense"), 0o600))
	_, err = Open(dir, now)
	assert.ErrorContains(t, err, "delete it to have another")
}
