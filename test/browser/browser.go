// Package browser starts headless Chromium for the tests and pictures of the console.
package browser

import (
	"fmt"
	"os"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/launcher"
	"github.com/go-rod/rod/lib/proto"
)

// Open starts Debian's Chromium with an empty profile. close ends it.
func Open() (b *rod.Browser, close func(), err error) {
	profile, err := os.MkdirTemp("", "examen-chromium-")
	if err != nil {
		return nil, nil, err
	}
	l := launcher.New().Bin("/usr/bin/chromium").NoSandbox(true).Headless(true).UserDataDir(profile).
		Set("disable-gpu").Set(
		"disable-background-networking",
	).Set("disable-component-update").Set("disable-sync").Set("disable-quic").Set("no-first-run")
	url, err := l.Launch()
	if err != nil {
		os.RemoveAll(profile)
		return nil, nil, fmt.Errorf("start Chromium: %w", err)
	}
	b = rod.New().ControlURL(url)
	if err := b.Connect(); err != nil {
		l.Kill()
		os.RemoveAll(profile)
		return nil, nil, err
	}
	return b, func() {
		_ = b.Close()
		l.Kill()
		l.Cleanup()
		os.RemoveAll(profile)
	}, nil
}

// Page opens a window of the given size in a session of its own: cookies are not shared with other pages.
func Page(b *rod.Browser, url string, width, height int) (*rod.Page, error) {
	alone, err := b.Incognito()
	if err != nil {
		return nil, err
	}
	page, err := alone.Page(proto.TargetCreateTarget{URL: url})
	if err != nil {
		return nil, err
	}
	return page, page.SetViewport(
		&proto.EmulationSetDeviceMetricsOverride{Width: width, Height: height, DeviceScaleFactor: 1},
	)
}
