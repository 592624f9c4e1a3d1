//go:build !unix

package source

import "os"

const nonblock = 0

func umask() os.FileMode { return 0o022 }
