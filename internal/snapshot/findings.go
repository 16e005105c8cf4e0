package snapshot

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/core/recognise"
)

func Day(unix int64) string {
	if unix == 0 {
		return "never"
	}
	return civil.OfUnix(unix).String()
}

func TitleOf(p *recognise.Product, edition, version string) *recognise.Title {
	for i := range p.Titles {
		if t := &p.Titles[i]; t.Edition == edition && t.Version == version {
			return t
		}
	}
	return nil
}
