// Command notices writes THIRD_PARTY.md: whose work ships with the product, and under which licence.
// It asks Go for the modules in the binary, and the build of the pages for their packages.
package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
)

// work is something that ships, by its name and version, with the text of its licence.
type work struct{ name, version, licence, text string }

func main() {
	if err := write(); err != nil {
		fmt.Fprintln(os.Stderr, "notices:", err)
		os.Exit(1)
	}
}

func write() error {
	modules, err := goModules()
	if err != nil {
		return err
	}
	packages, err := pagePackages()
	if err != nil {
		return err
	}
	var b bytes.Buffer
	b.WriteString("# What ships with North Needle\n\nMade by `make notices`: the Go modules in the binary, and the packages and fonts in its pages, each with its\nlicence. The texts stand below, each once, with the works it came with.\n")
	tell(&b, "In the binary", modules)
	tell(&b, "In the pages", packages)
	b.WriteString("\n## Texts\n")
	all := append(modules, packages...)
	of := map[string][]string{}
	var texts []string
	for _, w := range all {
		if of[w.text] == nil {
			texts = append(texts, w.text)
		}
		of[w.text] = append(of[w.text], w.name)
	}
	for _, text := range texts {
		fmt.Fprintf(&b, "\n### %s\n\n```text\n%s\n```\n", strings.Join(of[text], ", "), text)
	}
	_, err = os.Stdout.Write(b.Bytes())
	return err
}

func tell(b *bytes.Buffer, title string, list []work) {
	fmt.Fprintf(b, "\n## %s\n\n| what | version | licence |\n|---|---|---|\n", title)
	for _, w := range list {
		fmt.Fprintf(b, "| %s | %s | %s |\n", w.name, w.version, w.licence)
	}
}

// goModules are the modules that are linked into the binary, and Go itself.
func goModules() ([]work, error) {
	out, err := run("go", "list", "-deps", "-f", "{{with .Module}}{{.Path}} {{.Version}} {{.Dir}}{{end}}", "./cmd/northneedle")
	if err != nil {
		return nil, err
	}
	lines := strings.Split(strings.TrimSpace(out), "\n")
	slices.Sort(lines)
	root, err := run("go", "env", "GOROOT")
	if err != nil {
		return nil, err
	}
	text, err := os.ReadFile(filepath.Join(strings.TrimSpace(root), "LICENSE"))
	if err != nil {
		return nil, err
	}
	all := []work{{"The Go standard library", "as it was built", "BSD-3-Clause", strings.TrimSpace(string(text))}}
	for _, line := range slices.Compact(lines) {
		parts := strings.Fields(line)
		if len(parts) != 3 { // our own module has no version
			continue
		}
		w := work{name: parts[0], version: parts[1]}
		if err := w.read(parts[2], ""); err != nil {
			return nil, err
		}
		all = append(all, w)
	}
	return all, nil
}

// pagePackages are the packages that the built pages are made of, and their fonts.
func pagePackages() ([]work, error) {
	text, err := os.ReadFile("web/node_modules/.packages.json")
	if err != nil {
		return nil, fmt.Errorf("build the pages first: %w", err)
	}
	var names []string
	if err := json.Unmarshal(text, &names); err != nil {
		return nil, err
	}
	fonts, err := filepath.Glob("web/node_modules/@fontsource*/*")
	if err != nil {
		return nil, err
	}
	for _, font := range fonts {
		names = append(names, strings.TrimPrefix(filepath.ToSlash(font), "web/node_modules/"))
	}
	slices.Sort(names)
	var all []work
	for _, name := range slices.Compact(names) {
		folder := filepath.Join("web/node_modules", name)
		text, err := os.ReadFile(filepath.Join(folder, "package.json"))
		if err != nil {
			return nil, err
		}
		var about struct{ Version, License string }
		if err := json.Unmarshal(text, &about); err != nil {
			return nil, fmt.Errorf("%s: %w", folder, err)
		}
		w := work{name: name, version: about.Version}
		if err := w.read(folder, about.License); err != nil {
			return nil, err
		}
		all = append(all, w)
	}
	return all, nil
}

// read finds a work's licence in its folder. One without a text goes by what it says of itself; one
// whose licence is not known stops the program: a person has to look.
func (w *work) read(folder, said string) error {
	entries, err := os.ReadDir(folder)
	if err != nil {
		return err
	}
	var texts []string
	for _, e := range entries {
		name := strings.ToUpper(e.Name())
		if e.IsDir() || !strings.HasPrefix(name, "LICEN") && !strings.HasPrefix(name, "COPYING") && name != "NOTICE" {
			continue
		}
		text, err := os.ReadFile(filepath.Join(folder, e.Name()))
		if err != nil {
			return err
		}
		texts = append(texts, strings.TrimSpace(strings.ReplaceAll(string(text), "\r\n", "\n")))
	}
	w.text = strings.Join(texts, "\n\n")
	for _, text := range texts { // its own comes before those of others in it
		if w.licence = named(text); w.licence != "" {
			break
		}
	}
	if w.licence == "" {
		w.licence = said
	}
	if w.text == "" {
		w.text = w.licence + ", as its package says; it came without the text."
	}
	if w.licence == "" {
		return fmt.Errorf("%s has no licence that is known here: look at %s", w.name, folder)
	}
	return nil
}

// named is the SPDX name of a licence by its text; empty where it is not known.
func named(text string) string {
	flat := strings.Join(strings.Fields(text), " ")
	for _, known := range []struct{ words, name string }{
		{"SIL OPEN FONT LICENSE", "OFL-1.1"},
		{"Bitstream Vera", "Bitstream-Vera"},
		{"Apache License Version 2.0", "Apache-2.0"},
		{"Mozilla Public License Version 2.0", "MPL-2.0"},
		{"Mozilla Public License, version 2.0", "MPL-2.0"},
		{"Permission is hereby granted, free of charge", "MIT"},
		{"Permission to use, copy, modify, and/or distribute", "ISC"},
		{"Permission to use, copy, modify, and distribute", "ISC"},
		{"Neither the name of", "BSD-3-Clause"},
		{"may be used to endorse or promote products", "BSD-3-Clause"},
		{"Redistribution and use in source and binary forms", "BSD-2-Clause"},
		{"free and unencumbered software", "Unlicense"},
	} {
		if strings.Contains(flat, known.words) {
			return known.name
		}
	}
	return ""
}

func run(name string, args ...string) (string, error) {
	command := exec.Command(name, args...)
	out, err := command.Output()
	var failed *exec.ExitError
	if errors.As(err, &failed) {
		return "", fmt.Errorf("%s: %s", name, failed.Stderr)
	}
	return string(out), err
}
