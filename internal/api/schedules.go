package api

import "time"

// NewSchedule is something that is to be done on a server by itself at its time.
type NewSchedule struct {
	Name     string      `json:"name" pattern:"^[a-z0-9][a-z0-9-]{0,30}$"`
	Server   string      `json:"server"`
	Does     string      `json:"does" enum:"deploy,update,survey,restart"`
	Deploy   *NewDraft   `json:"deploy,omitempty" doc:"With deploy: what; with update: how, such as orUndo"`
	Cron     string      `json:"cron,omitempty" doc:"Minute, hour, day, month, weekday: 0 4 * * *"`
	Once     *time.Time  `json:"once,omitempty" doc:"Instead of a cron expression"`
	Zone     string      `json:"zone,omitempty" doc:"Of IANA, such as Europe/Lisbon; UTC if absent"`
	Window   int64       `json:"window,omitempty" doc:"How late it may still begin, in seconds; an hour if absent"`
	Empty    bool        `json:"empty,omitempty" doc:"Only while no player is on"`
	Warnings []EarlyLine `json:"warnings,omitempty"`
}

// EarlyLine is a line for the server's console some time before.
type EarlyLine struct {
	Before int64  `json:"before" doc:"Seconds"`
	Line   string `json:"line"`
}

// Schedule is something that is done on a server by itself.
type Schedule struct {
	Name     string        `json:"name"`
	Server   string        `json:"server"`
	Does     string        `json:"does"`
	Cron     string        `json:"cron,omitempty"`
	Zone     string        `json:"zone"`
	Window   int64         `json:"window" doc:"Seconds"`
	Empty    bool          `json:"empty,omitempty"`
	Warnings []EarlyLine   `json:"warnings,omitempty"`
	What     []string      `json:"what,omitempty" doc:"What is deployed, as people write it"`
	OrUndo   bool          `json:"orUndo,omitempty"`
	By       string        `json:"by"`
	Next     *time.Time    `json:"next,omitempty" doc:"When it is due; absent where it is over"`
	Runs     []ScheduleRun `json:"runs,omitempty" doc:"What came of it, the newest first"`
}

// ScheduleRun is what came of a schedule at one of its times.
type ScheduleRun struct {
	Due        time.Time  `json:"due"`
	Began      *time.Time `json:"began,omitempty"`
	Ended      *time.Time `json:"ended,omitempty"`
	State      string     `json:"state" enum:"running,done,nothing,failed,missed,occupied,broken"`
	Words      string     `json:"words,omitempty"`
	Deployment string     `json:"deployment,omitempty"`
}

// NewNotice is where results are to be told: to a web address, by mail, or in a feed.
type NewNotice struct {
	Name      string `json:"name" pattern:"^[a-z0-9][a-z0-9-]{0,30}$"`
	Webhook   string `json:"webhook,omitempty" doc:"The address that gets each result as JSON, signed"`
	MailTo    string `json:"mailTo,omitempty"`
	From      string `json:"from,omitempty" doc:"With mail: from where it comes"`
	SMTP      string `json:"smtp,omitempty" doc:"With mail: host:port"`
	User      string `json:"user,omitempty" doc:"With mail: who signs in there"`
	Password  string `json:"password,omitempty"`
	NoTLS     bool   `json:"noTLS,omitempty" doc:"With mail: it may go without TLS"`
	Feed      bool   `json:"feed,omitempty" doc:"In a feed (Atom) with an address of its own"`
	Successes bool   `json:"successes,omitempty" doc:"What went well is told too"`
}

// Notice is where results are told.
type Notice struct {
	Name      string     `json:"name"`
	To        string     `json:"to" doc:"In words"`
	Successes bool       `json:"successes,omitempty"`
	By        string     `json:"by"`
	ToldAt    *time.Time `json:"toldAt,omitempty"`
	Trouble   string     `json:"trouble,omitempty" doc:"Why the last one could not be told"`
	Secret    string     `json:"secret,omitempty" doc:"Only in the answer that makes it: by it a web address knows what is ours"`
	URL       string     `json:"url,omitempty" doc:"Only in the answer that makes it: the feed's address"`
}
