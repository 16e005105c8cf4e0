// Package browser starts headless Chromium for the tests of the real interface and for its pictures.
package browser

import (
	"errors"
	"os"
	"os/exec"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/launcher"
	"github.com/go-rod/rod/lib/launcher/flags"
	"github.com/go-rod/rod/lib/proto"
)

// ErrMissing says that there is no Chromium on this machine.
var ErrMissing = errors.New("there is no Chromium on this machine: apt-get install chromium-headless-shell")

// programs are the browsers that serve, the first that is there: the headless shell is the same engine without the
// windows, tabs and menus that the whole browser draws around it, also where nobody sees them.
var programs = []string{"chromium-headless-shell", "chromium", "chromium-browser", "google-chrome"}

// Start starts a browser with an empty profile and nothing that would reach out of the machine. close ends it and
// removes the profile.
func Start() (b *rod.Browser, closeAll func(), err error) {
	path := ""
	for _, name := range programs {
		if p, err := exec.LookPath(name); err == nil {
			path = p
			break
		}
	}
	if path == "" {
		return nil, nil, ErrMissing
	}
	profile, err := os.MkdirTemp("", "ensomet-browser")
	if err != nil {
		return nil, nil, err
	}
	l := launcher.New().Bin(path).UserDataDir(profile).Headless(true).NoSandbox(true)
	for _, flag := range []string{"disable-background-networking", "disable-component-update", "disable-sync",
		"disable-quic", "no-first-run", "disable-gpu", "hide-scrollbars"} {
		l.Set(flags.Flag(flag))
	}
	l.Set("host-resolver-rules", "MAP *.example 127.0.0.1") // a house's own name leads to the server under test
	url, err := l.Launch()
	if err != nil {
		return nil, nil, errors.Join(err, os.RemoveAll(profile))
	}
	b = rod.New().ControlURL(url).Timeout(25 * time.Minute)
	if err := b.Connect(); err != nil {
		return nil, nil, err
	}
	return b, func() {
		_ = b.Close()
		l.Kill()
		_ = os.RemoveAll(profile)
	}, nil
}

// Size sets the size of a page's window.
func Size(p *rod.Page, width, height int) error {
	return p.SetViewport(
		&proto.EmulationSetDeviceMetricsOverride{Width: width, Height: height, DeviceScaleFactor: 1},
	)
}
