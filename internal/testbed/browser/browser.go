// Package browser uses the console as a person does: it finds what can be
// clicked by its words, clicks where it is on the screen, and waits for words
// to appear. It drives a headless Chromium with a profile of its own.
package browser

import (
	"context"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"strings"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/heapprofiler"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/memory"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
)

// patience is how long a page may take to show what is waited for.
const patience = 40 * time.Second

// between is how long lies between two looks at it.
const between = 15 * time.Millisecond

//go:embed eyes.js
var eyes string

// Page is one open tab.
type Page struct {
	ctx    context.Context
	faults []string
}

// Browser is one running Chromium.
type Browser struct{ ctx context.Context }

// Start starts a Chromium. It ends with ctx or when end is called.
func Start(ctx context.Context) (b *Browser, end func(), err error) {
	opts := []chromedp.ExecAllocatorOption{chromedp.Headless, chromedp.NoSandbox, chromedp.DisableGPU, chromedp.NoFirstRun}
	for _, flag := range []string{"disable-quic", "disable-background-networking", "disable-component-update", "disable-sync", "disable-dev-shm-usage"} {
		opts = append(opts, chromedp.Flag(flag, true))
	}
	ctx, stop := chromedp.NewExecAllocator(ctx, opts...)
	ctx, stopFirst := chromedp.NewContext(ctx)
	end = func() { stopFirst(); stop() }
	if err := chromedp.Do(ctx); err != nil {
		end()
		return nil, nil, fmt.Errorf("start the browser: %w", err)
	}
	return &Browser{ctx}, end, nil
}

// Open opens an empty tab with a profile of its own, which ends when closeIt is called.
func (b *Browser) Open(width, height int) (p *Page, closeIt func(), err error) {
	ctx, closeIt := chromedp.NewContext(b.ctx, chromedp.WithNewBrowserContext())
	p, err = opened(ctx, width, height)
	if err != nil {
		closeIt()
	}
	return p, closeIt, err
}

// Open starts a Chromium and opens an empty tab. Both end with ctx or when closeIt is called.
func Open(ctx context.Context, width, height int) (p *Page, closeIt func(), err error) {
	b, end, err := Start(ctx)
	if err != nil {
		return nil, nil, err
	}
	p, closeTab, err := b.Open(width, height)
	return p, func() { closeTab(); end() }, err
}

// opened gives the tab of a context. It thinks that it has the focus, whatever other tabs do.
func opened(ctx context.Context, width, height int) (*Page, error) {
	p := &Page{ctx: ctx}
	if err := chromedp.Do(ctx); err != nil {
		return nil, fmt.Errorf("open a tab: %w", err)
	}
	p.listen()
	if _, err := chromedp.Call(ctx, emulation.SetFocusEmulationEnabled, emulation.SetFocusEmulationEnabledParams{Enabled: true}); err != nil {
		return nil, fmt.Errorf("give a tab the focus: %w", err)
	}
	return p, p.Size(width, height)
}

// Another opens one more tab of the same browser.
func (p *Page) Another(width, height int) (tab *Page, closeIt func(), err error) {
	ctx, stop := chromedp.NewContext(p.ctx)
	if tab, err = opened(ctx, width, height); err != nil {
		stop()
	}
	return tab, stop, err
}

// listen gathers what the page's scripts throw.
func (p *Page) listen() {
	thrown := chromedp.Events(p.ctx, runtime.ExceptionThrown)
	go func() {
		for e, err := range thrown {
			if err != nil {
				return
			}
			text := e.ExceptionDetails.Text
			if x := e.ExceptionDetails.Exception; x != nil {
				text += ": " + x.Description
			}
			p.faults = append(p.faults, text)
		}
	}()
}

// Size sets the window's size in pixels.
func (p *Page) Size(width, height int) error {
	return p.do(chromedp.EmulateViewport(int64(width), int64(height)))
}

// Dark says what the system prefers.
func (p *Page) Dark(dark bool) error {
	scheme := "light"
	if dark {
		scheme = "dark"
	}
	ctx, stop := context.WithTimeout(p.ctx, patience)
	defer stop()
	_, err := chromedp.Call(ctx, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{
		Features: []*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: scheme}}})
	return err
}

// Cookie gives the browser a cookie for an address, which scripts do not see.
func (p *Page) Cookie(url, name, value string) error {
	ctx, stop := context.WithTimeout(p.ctx, patience)
	defer stop()
	_, err := chromedp.Call(ctx, network.SetCookie, network.SetCookieParams{URL: url, Name: name, Value: value, HTTPOnly: new(true), SameSite: "Strict"})
	return err
}

// Go opens an address.
func (p *Page) Go(url string) error { return p.do(chromedp.Navigate(url)) }

// Select takes one of a field's options by its value.
func (p *Page) Select(label, value string) error {
	_, err := until[bool](p, fmt.Sprintf("select %q in %q", value, label), fmt.Sprintf("eyes.select(%s, %s)", quote(label), quote(value)))
	return err
}

// Press presses keys where the focus is: a name such as Escape or ArrowDown,
// or else one character after the other. A page that prevents a key's effect
// prevents its letter too, as with a real keyboard.
func (p *Page) Press(keys string) error {
	if code, named := codes[keys]; named {
		return p.press(keys, code)
	}
	for _, r := range keys {
		if err := p.press(string(r), 0); err != nil {
			return err
		}
	}
	return nil
}

var codes = map[string]int64{"Escape": 27, "Enter": 13, "ArrowDown": 40, "ArrowUp": 38, "ArrowRight": 39, "ArrowLeft": 37, "Tab": 9, "Backspace": 8, "Space": 32, "Control+k": 75}

// ctrl is the modifier of a key that is pressed with Ctrl, as the protocol has it.
const ctrl = 2

func (p *Page) press(key string, code int64) error {
	ctx, stop := context.WithTimeout(p.ctx, patience)
	defer stop()
	down := input.DispatchKeyEventParams{Type: input.DispatchKeyEventTypeKeyDown, Key: key, Code: key, WindowsVirtualKeyCode: code}
	switch {
	case code == 0:
		down.Text, down.Code = key, ""
	case key == "Enter":
		down.Text = "\r"
	case key == "Space":
		key = " "
		down.Key, down.Text = key, key
	case key == "Control+k":
		key = "k"
		down.Key, down.Code, down.Modifiers = key, "KeyK", ctrl
	}
	up := input.DispatchKeyEventParams{Type: input.DispatchKeyEventTypeKeyUp, Key: key, Code: key, WindowsVirtualKeyCode: code}
	for _, e := range []input.DispatchKeyEventParams{down, up} {
		if _, err := chromedp.Call(ctx, input.DispatchKeyEvent, e); err != nil {
			return fmt.Errorf("press %s: %w", key, err)
		}
	}
	return nil
}

// See waits until the words are visible.
func (p *Page) See(words string) error { return p.SeeIn("body", words) }

// SeeIn is See within what a CSS selector matches.
func (p *Page) SeeIn(within, words string) error {
	_, err := until[bool](p, fmt.Sprintf("see %q in %s", words, within), fmt.Sprintf("eyes.sees(%s, %s)", quote(within), quote(words)))
	return err
}

// Gone waits until the words are not visible, or no more, in the page's main part or on a sheet.
func (p *Page) Gone(words string) error {
	_, err := until[bool](p, fmt.Sprintf("no more see %q", words), fmt.Sprintf("!eyes.sees('main, [role=dialog]', %s)", quote(words)))
	return err
}

// SeeAny waits until one of the words is visible.
func (p *Page) SeeAny(within string, words ...string) error {
	any := make([]string, len(words))
	for i, w := range words {
		any[i] = fmt.Sprintf("eyes.sees(%s, %s)", quote(within), quote(w))
	}
	_, err := until[bool](p, fmt.Sprintf("see one of %q", words), "("+strings.Join(any, " || ")+")")
	return err
}

// Upload gives files, or one folder, to the file field that the selector matches.
func (p *Page) Upload(selector string, paths ...string) error {
	return p.do(chromedp.SetUploadFiles(chromedp.CSS(selector), paths))
}

// Drop drops files and folders from outside the browser on what has these words.
func (p *Page) Drop(words string, paths ...string) error {
	at, err := until[point](p, fmt.Sprintf("drop on %q", words), fmt.Sprintf("eyes.spot(%s)", quote(words)))
	if err != nil {
		return err
	}
	ctx, stop := context.WithTimeout(p.ctx, patience)
	defer stop()
	data := input.DragData{Items: []*input.DragDataItem{}, Files: paths, DragOperationsMask: 1}
	for _, kind := range []input.DispatchDragEventType{"dragEnter", "dragOver", "drop"} {
		if _, err := chromedp.Call(ctx, input.DispatchDragEvent, input.DispatchDragEventParams{Type: kind, X: at.X, Y: at.Y, Data: &data}); err != nil {
			return fmt.Errorf("%s: %w", kind, err)
		}
	}
	return nil
}

// Text gives what is visible within a selector.
func (p *Page) Text(within string) (string, error) {
	ctx, stop := context.WithTimeout(p.ctx, patience)
	defer stop()
	return chromedp.Run(ctx, chromedp.Evaluate[string](fmt.Sprintf("(document.querySelector(%s)?.innerText ?? '').replaceAll('\u00a0', ' ')", quote(within))))
}

// Eval gives what an expression of the page is, or what it promises.
func Eval[T any](p *Page, expression string) (T, error) {
	ctx, stop := context.WithTimeout(p.ctx, patience)
	defer stop()
	return chromedp.Run(ctx, chromedp.Evaluate[T](expression, chromedp.EvalAwaitPromise))
}

// PNG writes a picture of what is on the screen.
func (p *Page) PNG(file string) error {
	ctx, stop := context.WithTimeout(p.ctx, patience)
	defer stop()
	// Fonts first: a picture with the wrong letters shows another page.
	if err := chromedp.Do(ctx, chromedp.Evaluate[chromedp.Void](`document.fonts.ready.then(() => undefined)`, chromedp.EvalAwaitPromise)); err != nil {
		return err
	}
	raw, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	if err != nil {
		return err
	}
	return os.WriteFile(file, raw, 0o644)
}

// Faults gives what scripts of the page threw and nobody caught.
func (p *Page) Faults() []string { return p.faults }

func (p *Page) do(actions ...chromedp.Action[chromedp.Void]) error {
	ctx, stop := context.WithTimeout(p.ctx, patience)
	defer stop()
	return chromedp.Do(ctx, actions...)
}

var errNotYet = errors.New("not yet")

// Until waits until an expression gives something other than null, and gives that. It may use what
// eyes.js has.
func Until[T any](p *Page, what, expression string) (T, error) { return until[T](p, what, expression) }

func until[T any](p *Page, what, expression string) (T, error) {
	ctx, stop := context.WithTimeout(p.ctx, patience)
	defer stop()
	for {
		got, err := look[T](ctx, expression)
		if err == nil {
			return got, nil
		}
		select {
		case <-ctx.Done():
			screen, _ := p.Text("body")
			return got, fmt.Errorf("%s: it never came; the page shows:\n%s\n(%w)", what, screen, err)
		case <-time.After(between):
		}
	}
}

func look[T any](ctx context.Context, expression string) (got T, err error) {
	raw, err := chromedp.Run(ctx, chromedp.Evaluate[string](eyes+"; JSON.stringify("+expression+")"))
	if err != nil {
		var gone *cdp.Error
		if errors.As(err, &gone) || strings.Contains(err.Error(), "navigat") {
			return got, errNotYet // the page is just changing
		}
		return got, err
	}
	if raw == "null" || raw == "false" || raw == "" {
		return got, errNotYet
	}
	return got, json.Unmarshal([]byte(raw), &got)
}

func quote(s string) string {
	raw, _ := json.Marshal(s) // a string always marshals
	return string(raw)
}

// Always has a script run now, and on every page that is opened from now on.
func (p *Page) Always(script string) error {
	if _, err := Eval[any](p, script+"; undefined"); err != nil {
		return err
	}
	ctx, stop := context.WithTimeout(p.ctx, patience)
	defer stop()
	_, err := chromedp.Call(ctx, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: script})
	return err
}

// Line has everything come over a line of so many milliseconds there and back, and so many bytes a
// second. Nothing is taken from what the browser kept before.
func (p *Page) Line(latency, bytesPerSecond float64) error {
	ctx, stop := context.WithTimeout(p.ctx, patience)
	defer stop()
	if _, err := chromedp.Call(ctx, network.Enable, network.EnableParams{}); err != nil {
		return err
	}
	if _, err := chromedp.Call(ctx, network.SetCacheDisabled, network.SetCacheDisabledParams{CacheDisabled: true}); err != nil {
		return err
	}
	all := &network.Conditions{Latency: latency, DownloadThroughput: bytesPerSecond, UploadThroughput: bytesPerSecond}
	_, err := chromedp.Call(ctx, network.EmulateNetworkConditionsByRule, network.EmulateNetworkConditionsByRuleParams{MatchedNetworkConditions: []*network.Conditions{all}})
	return err
}

// Held tells what a page holds once its garbage was collected: bytes of its scripts' heap, and nodes.
func (p *Page) Held() (heap float64, nodes int64, err error) {
	ctx, stop := context.WithTimeout(p.ctx, patience)
	defer stop()
	if _, err := chromedp.Call(ctx, heapprofiler.CollectGarbage, cdp.Empty{}); err != nil {
		return 0, 0, err
	}
	used, err := chromedp.Call(ctx, runtime.GetHeapUsage, cdp.Empty{})
	if err != nil {
		return 0, 0, err
	}
	held, err := chromedp.Call(ctx, memory.GetDOMCounters, cdp.Empty{})
	return used.UsedSize, held.Nodes, err
}
