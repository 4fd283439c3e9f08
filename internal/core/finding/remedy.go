package finding

// Deed is something that a person can have Restless Crate do. The code is stable:
// programs decide on it, and each face has its own words for it, a command here and a
// button there.
type Deed string

// What can be done about a server.
const (
	ShowServers  Deed = "show-servers"
	ShowServer   Deed = "show-server"
	EditServer   Deed = "edit-server" // with: which setting, such as "key" or "upload-limit"
	TestServer   Deed = "test-server"
	LearnServer  Deed = "learn-server"
	UnlockServer Deed = "unlock-server" // take away the lock that a lost service left
	TrustKey     Deed = "trust-key"     // with: the fingerprint
	ForgetKey    Deed = "forget-key"
	SetControl   Deed = "set-control"
	SetSecret    Deed = "set-secret" // with: which secret of the control
	ShowAddons   Deed = "show-addons"
	ShowFiles    Deed = "show-files"
	ShowHistory  Deed = "show-history"
	GiveVariable Deed = "give-variable" // with: its name, to whatever adds or edits the server
	ReadLog      Deed = "read-log"
	CallRoll     Deed = "call-roll"
	Survey       Deed = "survey"
	Restart      Deed = "restart"
	Start        Deed = "start"
	ShowUpdates  Deed = "show-updates"
	Narrow       Deed = "narrow"    // answer, or give up, the search for what does something wrong
	ShowText     Deed = "show-text" // with: its path
	Untweak      Deed = "untweak"   // with: the tweak's ID
	SetText      Deed = "set-text"  // with: the text, the value path and the value
	ShowTexts    Deed = "show-texts"
	ShowTweaks   Deed = "show-tweaks"
)

// What can be done about a deployment.
const (
	ShowDeployments  Deed = "show-deployments" // on: the server
	ShowDeployment   Deed = "show-deployment"
	RunDeployment    Deed = "run-deployment"
	ResumeDeployment Deed = "resume-deployment"
	UndoDeployment   Deed = "undo-deployment"
	HaltDeployment   Deed = "halt-deployment"
	TickUnchecked    Deed = "tick-unchecked"
	TickDeployment   Deed = "tick-deployment" // what it waits for is done
	RollBack         Deed = "roll-back"
	CallGood         Deed = "call-good" // on: the server
)

// What can be asked for when something is deployed.
const (
	Deploy         Deed = "deploy"          // with: the crates
	RestartInstead Deed = "restart-instead" // of a reload
	SetVariable    Deed = "set-variable"    // with: its name
	SetValue       Deed = "set-value"       // with: NAME=VALUE of the server
	TakePart       Deed = "take-part"       // with: its name
	Renew          Deed = "renew"           // with: the place
	LeaveData      Deed = "leave-data"      // deploy without copying data first
	KeepMine       Deed = "keep-mine"       // with: PATH:KEY of a text that both sides changed
	KeepTheirs     Deed = "keep-theirs"
	TakeNeeds      Deed = "take-needs"    // with: the crates that come along
	InsteadOf      Deed = "instead-of"    // with: the add-on that goes
	LeaveOut       Deed = "leave-out"     // with: the add-on
	EnableAddon    Deed = "enable-addon"  // with: its name
	ReplaceCopy    Deed = "replace-copy"  // with: the path of what nobody deployed
	TakeIn         Deed = "take-in"       // with: such a path
	RewriteName    Deed = "rewrite-name"  // with: the old name and the new one
	RewriteAlong   Deed = "rewrite-along" // on a draft, with: the same
	SetAside       Deed = "set-aside"     // with: the path of what a server made for an add-on that goes
	RemoveCopy     Deed = "remove-copy"   // with: such a path
)

// What can be done about downloads and rulebooks.
const (
	StageArchive  Deed = "stage-archive"
	ShowArchives  Deed = "show-archives" // of which no crate is in the list
	ChooseRoot    Deed = "choose-root"   // with: the folder inside the archive
	ShowCrates    Deed = "show-crates"
	NameCrate     Deed = "name-crate" // with: "name", "version" or "base"
	TellApart     Deed = "tell-apart" // from add-ons of other kinds with its name
	PlaceFiles    Deed = "place-files"
	CompareCrates Deed = "compare-crates" // with: the other crate
	ShowRulebooks Deed = "show-rulebooks"
	ShowRulebook  Deed = "show-rulebook"
	AddRulebook   Deed = "add-rulebook"
	AddOver       Deed = "add-over" // as the next revision of what somebody else wrote
)

// What can be done about the service itself.
const (
	ShowJobs      Deed = "show-jobs"
	ShowSchedules Deed = "show-schedules" // with: one of them
	ShowTokens    Deed = "show-tokens"
	ShowSessions  Deed = "show-sessions"
	NewLink       Deed = "new-link"      // for signing a browser in
	StartService  Deed = "start-service" // with: the option to start it with
)

// Deeds are all of them, so that a test can ask each face for its words.
func Deeds() []Deed {
	return []Deed{ShowServers, ShowServer, EditServer, TestServer, LearnServer, UnlockServer, TrustKey, ForgetKey, SetControl, SetSecret,
		ShowAddons, ShowFiles, ShowHistory, GiveVariable, ReadLog, CallRoll, Survey, Restart, Start, ShowUpdates, Narrow, ShowText, SetText, Untweak, ShowTexts, ShowTweaks,
		ShowDeployments, ShowDeployment, RunDeployment, ResumeDeployment, UndoDeployment, HaltDeployment, TickUnchecked, TickDeployment, RollBack, CallGood,
		Deploy, RestartInstead, SetVariable, SetValue, TakePart, Renew, LeaveData, KeepMine, KeepTheirs, TakeNeeds, InsteadOf, LeaveOut, EnableAddon, ReplaceCopy, TakeIn, RemoveCopy, SetAside, RewriteName, RewriteAlong,
		StageArchive, ShowArchives, ChooseRoot, ShowCrates, NameCrate, TellApart, PlaceFiles, CompareCrates, ShowRulebooks, ShowRulebook, AddRulebook, AddOver,
		ShowJobs, ShowSchedules, ShowTokens, ShowSessions, NewLink, StartService}
}

// Remedy is one deed that would help, as data. On is what it is done to: a server, a
// deployment or a crate; it is empty where that is whatever the finding is about.
type Remedy struct {
	Do   Deed   `json:"do"`
	On   string `json:"on,omitempty"`
	With string `json:"with,omitempty"`
}

// On is the deed done to a subject, with a parameter where the deed takes one.
func (d Deed) On(subject string, with ...string) Remedy {
	r := d.With(with...)
	r.On = subject
	return r
}

// With is the deed done to whatever the finding is about.
func (d Deed) With(parameter ...string) Remedy {
	r := Remedy{Do: d}
	if len(parameter) > 0 {
		r.With = parameter[0]
	}
	return r
}

// By adds the deeds that would help.
func (f *Finding) By(remedies ...Remedy) *Finding {
	f.Remedies = append(f.Remedies, remedies...)
	return f
}
