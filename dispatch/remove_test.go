package dispatch

import (
	"os"
	"path/filepath"
	"runtime"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const nobody = 65534

// A folder that its owner closed is removed all the same. Root may write everywhere, so that the test does it as somebody else.
func TestClosedFoldersAreRemoved(t *testing.T) {
	t.Parallel()
	if os.Getuid() == 0 {
		runtime.LockOSThread() // and never unlocked: the thread ends with the test
	}
	parent := t.TempDir()
	folder := filepath.Join(parent, "work")
	require.NoError(t, os.MkdirAll(filepath.Join(folder, "closed", "below"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "closed", "below", "file"), nil, 0o644))
	for _, path := range []string{"closed/below", "closed"} {
		require.NoError(t, os.Chmod(filepath.Join(folder, path), 0o555))
	}
	if os.Getuid() == 0 {
		for _, path := range []string{parent, folder, filepath.Join(folder, "closed"), filepath.Join(folder, "closed/below")} {
			require.NoError(t, os.Chown(path, nobody, nobody))
		}
		for up := filepath.Dir(parent); up != os.TempDir() && up != "/"; up = filepath.Dir(up) {
			require.NoError(t, os.Chmod(up, 0o755))
		}
		require.NoError(t, syscall.Setfsuid(nobody))
		defer func() { require.NoError(t, syscall.Setfsuid(0)) }()
	}
	require.Error(t, os.RemoveAll(folder), "it is closed")
	require.NoError(t, RemoveFolder(folder))
	_, err := os.Stat(folder)
	assert.ErrorIs(t, err, os.ErrNotExist)
	assert.NoError(t, RemoveFolder(folder), "nothing is there")
}
