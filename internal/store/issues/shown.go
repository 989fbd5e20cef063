package issues

// Shown is what of an event its issue is shown by in lists.
type Shown struct {
	Headline, Place, Message   string
	OriginFunction, OriginFile string
	OriginLine                 int
	Severity                   string
	Unhandled                  bool
}
