package main

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"unicode"

	"ensomet/internal/core/recognise"

	"golang.org/x/text/runes"
	"golang.org/x/text/transform"
	"golang.org/x/text/unicode/norm"
)

// distortion is something that installers, collectors and people do to names. share is how often it is met.
type distortion struct {
	name  string
	share float64
	do    func(r *rand.Rand, rec *recognise.Record, lang string)
}

func pick(r *rand.Rand, list ...string) string { return list[r.IntN(len(list))] }

// distortions are applied in this order, each by its share. They are common practice of installers, from memory; the
// names that they work on are real.
var distortions = []distortion{
	{"a platform behind", 0.03, func(r *rand.Rand, rec *recognise.Record, _ string) {
		rec.Name += " " + pick(r, "for Linux", "for Windows", "(Windows)", "(Linux)")
	}},
	{"a letter wrong", 0.015,
		func(r *rand.Rand, rec *recognise.Record, _ string) { rec.Name = misspell(r, rec.Name) }},
	{"the end cut off", 0.005, func(r *rand.Rand, rec *recognise.Record, _ string) {
		if rs := []rune(rec.Name); len(rs) > 12 {
			rec.Name = string(rs[:len(rs)*3/4])
		}
	}},
	{"accents lost", 0.05, func(_ *rand.Rand, rec *recognise.Record, _ string) { rec.Name = bare(rec.Name) }},
	{
		"spaces lost",
		0.02,
		func(_ *rand.Rand, rec *recognise.Record, _ string) { rec.Name = strings.ReplaceAll(rec.Name, " ", "") },
	},
	{"other separators", 0.06, func(r *rand.Rand, rec *recognise.Record, _ string) {
		rec.Name = strings.ReplaceAll(rec.Name, " ", pick(r, "-", "_", "  "))
	}},
	{"a mark", 0.06, func(r *rand.Rand, rec *recognise.Record, _ string) {
		if head, tail, ok := strings.Cut(rec.Name, " "); ok {
			rec.Name = head + pick(r, "®", "™", "(R)", "(TM)") + " " + tail
		} else {
			rec.Name += pick(r, "®", "™", " (R)", " (TM)")
		}
	}},
	{"the publisher in front", 0.12, func(_ *rand.Rand, rec *recognise.Record, _ string) {
		if rec.Publisher != "" {
			rec.Name = rec.Publisher + " " + rec.Name
		}
	}},
	{"a version", 0.5, func(r *rand.Rand, rec *recognise.Record, _ string) {
		v := rec.Version
		switch r.IntN(4) {
		case 0:
			v = strings.Join(strings.Split(v, ".")[:1], ".")
		case 1:
			v = fmt.Sprint(2010 + r.IntN(16))
		}
		rec.Name += pick(r, " ", " ", " v", " Version ", " - ") + v
	}},
	{"an installer's word", 0.02, func(r *rand.Rand, rec *recognise.Record, _ string) {
		rec.Name += pick(r, " (remove only)", " Setup", " Installer")
	}},
	{"an architecture", 0.3, func(r *rand.Rand, rec *recognise.Record, _ string) {
		rec.Name += pick(r, " (64-bit)", " x64", " (x86)", " 32-bit", " (x86_64)", " amd64", " - 64 bits", " [arm64]")
	}},
	{"a language", 0.15, func(r *rand.Rand, rec *recognise.Record, lang string) {
		rec.Name += pick(
			r,
			" "+lang,
			" ("+lang+")",
			" (Deutsch)",
			" - English",
			" de-DE",
			" (français)",
			" [pt-BR]",
			" Svenska",
		)
	}},
	{"capitals", 0.1, func(r *rand.Rand, rec *recognise.Record, _ string) {
		if r.IntN(2) == 0 {
			rec.Name = strings.ToUpper(rec.Name)
		} else {
			rec.Name = strings.ToLower(rec.Name)
		}
	}},
	{"wide letters", 0.01, func(_ *rand.Rand, rec *recognise.Record, _ string) {
		rec.Name = strings.Map(func(c rune) rune {
			if c > ' ' && c < 0x7f {
				return c + 0xfee0
			}
			return c
		}, rec.Name)
	}},
	{"a legal form", 0.3, func(r *rand.Rand, rec *recognise.Record, _ string) {
		if rec.Publisher != "" {
			rec.Publisher += pick(
				r,
				" Ltd",
				", Inc.",
				" GmbH",
				" e.V.",
				" S.A.",
				" AB",
				" Foundation",
				" Project",
				" Team",
			)
		}
	}},
	{
		"a publisher in capitals",
		0.1,
		func(_ *rand.Rand, rec *recognise.Record, _ string) { rec.Publisher = strings.ToUpper(rec.Publisher) },
	},
	{
		"no publisher",
		0.08,
		func(r *rand.Rand, rec *recognise.Record, _ string) { rec.Publisher = pick(r, "", "", "Unknown", "n/a") },
	},
	{"no version field", 0.2, func(_ *rand.Rand, rec *recognise.Record, _ string) { rec.Version = "" }},
}

// distort makes a messy record of a clean one.
func distort(r *rand.Rand, publisher, name, lang string) recognise.Record {
	rec := recognise.Record{
		Publisher: publisher,
		Name:      name,
		Version:   fmt.Sprintf("%d.%d.%d", 1+r.IntN(20), r.IntN(20), r.IntN(400)),
	}
	for i := range distortions {
		if r.Float64() < distortions[i].share {
			distortions[i].do(r, &rec, lang)
		}
	}
	return rec
}

func misspell(r *rand.Rand, s string) string {
	rs := []rune(s)
	if len(rs) < 5 {
		return s
	}
	at := 1 + r.IntN(len(rs)-2)
	switch r.IntN(3) {
	case 0:
		return string(rs[:at]) + string(rs[at+1:])
	case 1:
		rs[at], rs[at-1] = rs[at-1], rs[at]
	default:
		rs[at] = rune('a' + r.IntN(26))
	}
	return string(rs)
}

func bare(s string) string {
	out, _, err := transform.String(transform.Chain(norm.NFD, runes.Remove(runes.In(unicode.Mn)), norm.NFC), s)
	if err != nil {
		return s
	}
	return out
}
