package cli

import (
	"fmt"
	"net"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"restlesscrate/internal/api"
)

func transportFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "folder", Usage: "the server's root is this `FOLDER` on the service's machine"},
		&cli.StringFlag{Name: "sftp", Usage: "reach it over SFTP: `USER@HOST[:PORT]`"},
		&cli.StringFlag{Name: "ftps", Usage: "reach it over FTP with TLS: `USER@HOST[:PORT]`"},
		&cli.StringFlag{Name: "ftp", Usage: "reach it over FTP, unencrypted: `USER@HOST[:PORT]`"},
		&cli.StringFlag{Name: "root", Usage: "on a host: the server's root `PATH`; where the user arrives if not given"},
		&cli.StringFlag{Name: "key", Usage: "with --sftp: sign in with this private key `FILE`; its content is sent to the service"},
		&cli.BoolFlag{Name: "agent", Usage: "with --sftp: sign in with the service's own SSH agent"},
		&cli.StringFlag{Name: "upload-limit", Usage: "the longest file that this way in takes, if the host has told you: a `SIZE` such as 100MB; 0 for any"},
		&cli.BoolFlag{Name: "password", Usage: "on a host: sign in with a password, asked for or from RESTLESS_PASSWORD"},
		&cli.StringSliceFlag{Name: "set", Usage: "a variable that the rulebook asks for: `NAME=VALUE`"},
		&cli.StringSliceFlag{Name: "fact", Usage: "something to know about it, such as game=9.3: `NAME=VALUE`"},
	}
}

// transport reads the flags on top of what is known already.
func (a serverCommands) transport(cmd *cli.Command, t api.Transport) (api.Transport, api.Secrets, error) {
	var sec api.Secrets
	kind, target, err := reached(cmd)
	if err != nil {
		return t, sec, err
	}
	if folder := cmd.String("folder"); folder != "" {
		abs, err := filepath.Abs(folder)
		if err != nil {
			return t, sec, err
		}
		return api.Transport{Kind: "folder", Root: abs}, sec, nil
	}
	if target != "" {
		user, host, ok := strings.Cut(target, "@")
		if !ok || user == "" || host == "" {
			return t, sec, wrongUsage("--%s %q is not USER@HOST or USER@HOST:PORT", kind, target)
		}
		t = api.Transport{Kind: kind, User: user, Host: host, Root: t.Root, Auth: t.Auth}
		if kind != "sftp" {
			t.Auth = "password"
		}
		if h, p, err := net.SplitHostPort(host); err == nil {
			n, err := strconv.Atoi(p)
			if err != nil {
				return t, sec, wrongUsage("--%s %q: %q is no port", kind, target, p)
			}
			t.Host, t.Port = h, n
		}
	}
	if root := cmd.String("root"); root != "" {
		t.Root = root
	}
	if limit := cmd.String("upload-limit"); limit != "" {
		if t.UploadLimit, err = parseSize(limit); err != nil {
			return t, sec, wrongUsage("--upload-limit %v", err)
		}
	}
	return a.credentials(cmd, t)
}

// parseSize reads a number of bytes as people write it: 512, 100MB, 2 GB.
func parseSize(text string) (int64, error) {
	number, unit := strings.TrimSpace(text), int64(1)
	for _, u := range []struct {
		suffix string
		bytes  int64
	}{{"GB", 1e9}, {"MB", 1e6}, {"KB", 1e3}, {"kB", 1e3}, {"B", 1}} {
		if rest, ok := strings.CutSuffix(number, u.suffix); ok {
			number, unit = strings.TrimSpace(rest), u.bytes
			break
		}
	}
	n, err := strconv.ParseInt(number, 10, 64)
	if err != nil || n < 0 || n > (1<<62)/unit {
		return 0, fmt.Errorf("%q is no size; write it like 100MB", text)
	}
	return n * unit, nil
}

// reached gives the transport that the flags name, if any.
func reached(cmd *cli.Command) (kind, target string, err error) {
	ways := 0
	for _, flag := range []string{"folder", "sftp", "ftps", "ftp"} {
		if value := cmd.String(flag); value != "" {
			ways++
			if flag != "folder" {
				kind, target = flag, value
			}
		}
	}
	if ways > 1 {
		return "", "", wrongUsage("give one of --folder, --sftp, --ftps and --ftp")
	}
	return kind, target, nil
}

// credentials reads key files and asks for secrets; they are never arguments.
func (a serverCommands) credentials(cmd *cli.Command, t api.Transport) (api.Transport, api.Secrets, error) {
	var sec api.Secrets
	switch {
	case cmd.String("key") != "":
		raw, err := os.ReadFile(cmd.String("key"))
		if err != nil {
			return t, sec, fmt.Errorf("read the key file: %w", err)
		}
		t.Auth, sec.Key, sec.Passphrase = "key", string(raw), os.Getenv("RESTLESS_PASSPHRASE")
		if strings.Contains(sec.Key, "ENCRYPTED") && sec.Passphrase == "" {
			if sec.Passphrase, err = a.Ask("Passphrase of the key: ", true); err != nil {
				return t, sec, wrongUsage("the key is encrypted: give its passphrase in RESTLESS_PASSPHRASE")
			}
		}
	case cmd.Bool("agent"):
		t.Auth = "agent"
	case cmd.Bool("password") || cmd.IsSet("ftp") || cmd.IsSet("ftps"):
		t.Auth, sec.Password = "password", os.Getenv("RESTLESS_PASSWORD")
		if sec.Password == "" {
			var err error
			if sec.Password, err = a.Ask("Password: ", true); err != nil {
				return t, sec, wrongUsage("no terminal to ask for the password: give it in RESTLESS_PASSWORD")
			}
		}
	case t.Kind == "sftp" && t.Auth == "":
		return t, sec, wrongUsage("how to sign in? Give one of --key FILE, --agent, --password")
	}
	return t, sec, nil
}

func where(t api.Transport) string {
	if t.Kind == "folder" {
		return t.Root
	}
	return fmt.Sprintf("%s@%s:%d %s", t.User, t.Host, t.Port, t.Root)
}
