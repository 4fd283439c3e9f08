package remote

import (
	"context"
	"fmt"
	"path"
	"strconv"
	"strings"
	"time"

	"restlesscrate/internal/core/tree"
)

// Copier is a host that copies and removes whole folders itself, so that their
// bytes need not cross the line.
type Copier interface {
	// CopyFolder copies a folder with everything in it to a name that nothing has;
	// there it appears whole or not at all. What a broken call has made stands
	// beside it, with a suffix.
	CopyFolder(ctx context.Context, from, to tree.Path) error
	// RemoveTree removes a folder with everything in it, and what broken copies
	// have left beside it. It is for folders of ours alone.
	RemoveTree(ctx context.Context, p tree.Path) error
}

var _ Copier = (*SFTP)(nil)

// partSuffix is what follows a name under which a copy is being made.
const partSuffix = ".part-"

// CopyFolder implements [Copier] by a command of the host's shell.
func (s *SFTP) CopyFolder(ctx context.Context, from, to tree.Path) error {
	part := string(to) + partSuffix + strconv.FormatInt(time.Now().UnixNano(), 36)
	return s.shell(ctx, fmt.Sprintf("test ! -e %[3]s && cp -a -- %[1]s %[2]s && test ! -e %[3]s && mv -- %[2]s %[3]s", s.word(from), s.word(tree.Path(part)), s.word(to)))
}

// RemoveTree implements [Copier] by a command of the host's shell.
func (s *SFTP) RemoveTree(ctx context.Context, p tree.Path) error {
	if p.Depth() < 2 {
		return fmt.Errorf("%s is no folder of ours", p)
	}
	return s.shell(ctx, fmt.Sprintf("rm -rf -- %s %s%s*", s.word(p), s.word(p), partSuffix))
}

// word writes a path as one word of a shell. A name cannot be taken for an option.
func (s *SFTP) word(p tree.Path) string {
	name := s.name(p)
	if !path.IsAbs(name) {
		name = "./" + name
	}
	return "'" + strings.ReplaceAll(name, "'", `'\''`) + "'"
}

func (s *SFTP) shell(ctx context.Context, command string) error {
	out, code, err := s.Exec(ctx, command, "")
	if err != nil {
		return err
	}
	if code != 0 {
		return fmt.Errorf("the host's shell ended with exit code %d: %s", code, strings.TrimSpace(out))
	}
	return nil
}
