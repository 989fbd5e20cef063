package pipeline

import (
	"slices"

	"firethorn/internal/core/event"
	"firethorn/internal/core/symbolicate"
)

// WithoutSources lists the files of own frames that no symbols bring the source
// lines of, as the trace names them; none that symbols may still come for.
func WithoutSources(frames [][]event.Frame) (files []string) {
	for _, list := range frames {
		for i := range list {
			if f := &list[i]; wantsSource(f) && !slices.Contains(files, f.File) {
				files = append(files, f.File)
			}
		}
	}
	return files
}

func wantsSource(f *event.Frame) bool {
	return f.Kind == event.Own && f.File != "" && f.Line > 0 && len(f.SourceLines) == 0 && f.WhyRaw == "" &&
		!f.Pending && !f.Generated
}

// AddSources adds the source lines of frames that have none, from the texts of
// their files as they stand at a commit, without secrets.
func AddSources(p Project, e *event.Event, frames [][]event.Frame, commit string, texts map[string]string) {
	var added []event.Frame
	read := map[string][]string{} // frames of one file are many where it calls itself
	for _, list := range frames {
		for i := range list {
			f := &list[i]
			text, ok := texts[f.File]
			if !ok || !wantsSource(f) {
				continue
			}
			lines := read[f.File]
			if lines == nil {
				lines = symbolicate.Lines(text)
				read[f.File] = lines
			}
			if f.SourceLines = symbolicate.Excerpt(lines, f.Line, f.Column-1); f.SourceLines != nil {
				f.SourceCommit = commit
				added = append(added, *f)
			}
		}
	}
	scrubSources(p.Rules.Policy(), e, [][]event.Frame{added})
}
