// Package chromium starts Debian's headless Chromium for tests and for the
// recordings of the demo.
package chromium

import (
	"context"
	"errors"
	"os/exec"

	"github.com/chromedp/chromedp"
)

// ErrMissing says that no Chromium is installed.
var ErrMissing = errors.New("chromium is not on this machine: apt-get install chromium")

// Flag is one more flag for the browser.
type Flag struct {
	Name  string
	Value any
}

// Start starts a browser with a profile of its own in dir and a window of
// 1280x800. stop ends it.
func Start(ctx context.Context, dir string, flags ...Flag) (browser context.Context, stop func(), err error) {
	path, err := exec.LookPath("chromium")
	if err != nil {
		return nil, nil, ErrMissing
	}
	opts := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(path), chromedp.NoSandbox,
		chromedp.DisableGPU,
		chromedp.UserDataDir(dir), chromedp.WindowSize(1280, 800), chromedp.Flag("disable-quic", true),
		chromedp.Flag("disable-component-update", true),
		chromedp.Flag("hide-scrollbars", true), chromedp.Flag("lang", "en-US"), chromedp.Flag("no-proxy-server", true))
	for _, f := range flags {
		opts = append(opts, chromedp.Flag(f.Name, f.Value))
	}
	alloc, stopAlloc := chromedp.NewExecAllocator(ctx, opts...)
	browser, cancel := chromedp.NewContext(alloc)
	stop = func() { cancel(); stopAlloc() }
	if err := chromedp.Do(browser); err != nil {
		stop()
		return nil, nil, err
	}
	return browser, stop, nil
}
