package api

import (
	"time"
)

// Transport is how a server's tree is reached.
type Transport struct {
	Kind string `json:"kind" enum:"folder,sftp,ftp,ftps" doc:"ftps is FTP with explicit TLS"`
	Root string `json:"root,omitempty"`
	Host string `json:"host,omitempty"`
	Port int    `json:"port,omitempty"`
	User string `json:"user,omitempty"`
	Auth string `json:"auth,omitempty" enum:"key,agent,password" doc:"How to sign in; over FTP only by password"`
	// UploadLimit is in bytes.
	UploadLimit int64 `json:"uploadLimit,omitempty" minimum:"0" doc:"The longest file that this way in takes, in bytes; 0 or absent: any"`
}

// Secrets go in and never come out.
type Secrets struct {
	Key        string `json:"key,omitempty" doc:"A private key, PEM"`
	Passphrase string `json:"passphrase,omitempty"`
	Password   string `json:"password,omitempty"`
}

// Server is one game server.
type Server struct {
	Name       string            `json:"name"`
	Rulebook   string            `json:"rulebook"`
	Learning   bool              `json:"learning,omitempty" doc:"It was added without a rulebook, and its rulebook grows from answers"`
	Transport  Transport         `json:"transport"`
	Variables  map[string]string `json:"variables"`
	Facts      map[string]string `json:"facts"`
	Known      []KnownFact       `json:"known" nullable:"false" doc:"All that is known of it, with where that was read; facts are those that people set"`
	HostKey    string            `json:"hostKey,omitempty" doc:"Fingerprint that a person has confirmed"`
	OfferedKey string            `json:"offeredKey,omitempty" doc:"Fingerprint that was offered and waits for a person"`
	Abilities  *Abilities        `json:"abilities,omitempty" doc:"What server test found out"`
	Version    int64             `json:"version" doc:"Counts the edits of people"`
	CreatedAt  time.Time         `json:"createdAt"`
}

// KnownFact is something that is known of a server.
type KnownFact struct {
	Name   string     `json:"name"`
	Value  string     `json:"value"`
	From   string     `json:"from" doc:"Where it was read, in words"`
	At     *time.Time `json:"at,omitempty" doc:"When it was read last, or set"`
	Before bool       `json:"before,omitempty" doc:"It was read before the server was last started, so it may be otherwise now"`
	ByHand bool       `json:"byHand,omitempty" doc:"A person set it, which counts before what the server tells"`
	Told   string     `json:"told,omitempty" doc:"What the server itself tells, where that is something else"`
	ToldBy string     `json:"toldBy,omitempty" doc:"Where it tells that"`
}

// Abilities are what a host can do.
type Abilities struct {
	TestedAt       time.Time `json:"testedAt"`
	Modes          bool      `json:"modes"`
	CaseBlind      bool      `json:"caseBlind"`
	RenameFromWork bool      `json:"renameFromWork"`
	RenameOver     bool      `json:"renameOver"`
	NoWork         bool      `json:"noWork,omitempty" doc:"No folder of ours can be made at the root, so there is no lock on the host"`
	RenameFolders  bool      `json:"renameFolders" doc:"A folder can be renamed out of the work folder with everything in it"`
	ResolutionMS   int64     `json:"resolutionMs"`
	Free           int64     `json:"free" doc:"Bytes; -1 where the host does not tell"`
	Words          []string  `json:"words" nullable:"false" doc:"The same, for people"`
	Left           bool      `json:"left,omitempty" doc:"Another service left a lock or uploads there; a test can clear them if it is lost for good"`
	Lock           string    `json:"lock,omitempty" doc:"What another service's lock on the host says, for people"`
}

// NewServer asks for a server to be added.
type NewServer struct {
	Name      string            `json:"name"`
	Rulebook  string            `json:"rulebook,omitempty" doc:"Absent: one is made that grows from answers"`
	Transport Transport         `json:"transport"`
	Variables map[string]string `json:"variables,omitempty"`
	Facts     map[string]string `json:"facts,omitempty"`
	Secrets   Secrets           `json:"secrets,omitempty"`
}

// ServerEdit changes a server; what is absent stays.
type ServerEdit struct {
	Name      *string           `json:"name,omitempty"`
	Rulebook  *string           `json:"rulebook,omitempty" doc:"Only while nothing was deployed"`
	Transport *Transport        `json:"transport,omitempty"`
	Variables map[string]string `json:"variables,omitempty"`
	Facts     map[string]string `json:"facts,omitempty"`
	Secrets   Secrets           `json:"secrets,omitempty"`
	ForgetKey bool              `json:"forgetKey,omitempty"`
	Version   int64             `json:"version,omitempty" doc:"Of the server on which the edit rests: where it was edited since, it is refused. 0: whichever it is"`
}

// TrustKey confirms a host's key.
type TrustKey struct {
	Fingerprint string `json:"fingerprint"`
}
