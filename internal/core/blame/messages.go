package blame

import (
	"regexp"
	"slices"
	"strings"

	"firethorn/internal/core/event"
	"firethorn/internal/core/shape"
)

// engineMessage is what engines and runtimes say of one thing in their own words.
type engineMessage struct {
	contains []string // one of them is in every such message: most messages need no more than that
	form     *regexp.Regexp
	means    string // with $name for what the form has found
	local    bool   // the mistake is in the function itself, not in what its caller wanted
}

const quotedName = `["'](?P<name>[^"']*)["']`

// engineMessages are the messages that three browser engines and Node have for the
// same mistakes. Names of variables are left out, for builds change them;
// names of members stay.
var engineMessages = []engineMessage{
	{[]string{"Cannot read", "Cannot set"}, regexp.MustCompile(`^Cannot (?:read|set) propert(?:y|ies) (?:'(?P<name>[^']*)' )?of (?:undefined|null)(?: \((?:reading|setting) '(?P<name>.*)'\))?$`), "no $name of nothing", true},
	{[]string{"can't access property"},
		regexp.MustCompile(`^can't access property ` + quotedName +
			`(?: of (?:undefined|null)|, .* is (?:undefined|null))$`), "no $name of nothing", true},
	{[]string{"is not an object (evaluating"}, regexp.MustCompile(`^(?:undefined|null) is not an object \(evaluating '(?P<expression>.*)'\)$`), "no $name of nothing", true},
	{[]string{"is not a function"}, regexp.MustCompile(`^(?:[\w$.\[\]()#]+)?\.(?P<name>[\w$#]+)(?:\(\.\.\.\))? is not a function(?:\. \(In .*)?$`), "$name is no function", true},
	{[]string{"is not a function"}, regexp.MustCompile(`^[\w$#]+ is not a function(?:\. \(In .*)?$`),
		"what is called is no function", true},
	{[]string{"is not a constructor"}, regexp.MustCompile(`^(?:[\w$.\[\]()#]+)?\.(?P<name>[\w$#]+) is not a constructor(?:\. \(evaluating .*)?$`), "$name is no constructor", true},
	{[]string{"is not defined"}, regexp.MustCompile(`^(?P<name>[\w$]+) is not defined$`), "$name is not defined", true},
	{[]string{"Can't find variable"}, regexp.MustCompile(`^Can't find variable: (?P<name>[\w$]+)$`),
		"$name is not defined", true},
	{[]string{"before initialization", "uninitialized variable"}, regexp.MustCompile(`^(?:Cannot access '.*' before initialization|can't access lexical declaration '.*' before initialization|Cannot access uninitialized variable\.?)$`), "used before it has a value", true},
	{[]string{"constant variable", "invalid assignment", "readonly property"}, regexp.MustCompile(`^(?:Assignment to constant variable\.?|invalid assignment to const '.*'|Attempted to assign to readonly property\.?)$`), "a constant is assigned", true},
	{[]string{"Maximum call stack", "too much recursion"}, regexp.MustCompile(`^(?:Maximum call stack size exceeded\.?|too much recursion)$`), "the stack is full", true},
	{[]string{"iterable", "not a function", "Spread syntax"}, regexp.MustCompile(`^(?:[\w$.]+ is not iterable.*|.* is not a function or its return value is not iterable|undefined is not a function \(near .*|Spread syntax requires .*)$`), "not iterable", true},
	{[]string{"dynamically imported module", "module script failed"}, regexp.MustCompile(`^(?:Failed to fetch dynamically imported module|error loading dynamically imported module|Importing a module script failed)\b.*$`), "a part of the application could not be loaded", false},
	{[]string{"etch", "NetworkError", "Load failed", "network connection", "Internet connection", "Network request"}, regexp.MustCompile(`^(?:Failed to fetch|NetworkError when attempting to fetch resource\.?|Load failed|fetch failed|The network connection was lost\.?|The Internet connection appears to be offline\.?|Network request failed)$`), "the network failed", false},
	{[]string{"Unexpected", "JSON"}, regexp.MustCompile(`^(?:Unexpected token .*|Expected .* in JSON at position .*|Unexpected (?:end of|non-whitespace character after) JSON.*|Bad control character in string literal in JSON.*|Unterminated string in JSON.*|.* is not valid JSON|JSON\.parse: .*|JSON Parse error: .*)$`), "no valid JSON", false},
	{[]string{"abort"}, regexp.MustCompile(`^(?:The user aborted a request\.?|The operation was aborted\.?|signal is aborted without reason|Fetch is aborted|This operation was aborted)$`), "aborted", false},
	{[]string{"rray"}, regexp.MustCompile(`^(?:Invalid array length|invalid array length|Array size is not a small enough positive integer\.?|[Aa]rray length must be.*)$`), "an array of that length cannot be", true},
	{[]string{"Invalid time value", "nvalid date", "Invalid Date"},
		regexp.MustCompile(`^(?:Invalid time value|invalid date|Invalid Date)$`), "no date", false},
	{[]string{"Reduce of empty"}, regexp.MustCompile(`^Reduce of empty array with no initial value$`),
		"an empty array is reduced", true},
	{[]string{"reduce of empty"}, regexp.MustCompile(`^reduce of empty array with no initial value$`),
		"an empty array is reduced", true},
	{[]string{"toFixed", "precision"}, regexp.MustCompile(`^toFixed\(\) (?:digits )?argument must be between 0 and 100$|^precision -?\d+ out of range$`), "digits out of range", true},
}

// Plain is a message in one form for all engines, its variable parts taken
// out; local says that it reports a mistake in the very function that failed.
func Plain(message string) (shape string, local bool) {
	if shape, local, ok := engineMessageOf(message); ok {
		return shape, local
	}
	return Shape(message), false
}

// engineMessageOf finds the message among those that engines have words of their own for.
func engineMessageOf(message string) (shape string, local, ok bool) {
	line := strings.TrimSpace(message)
	if len(line) < 400 && !strings.Contains(line, "\n") {
		for _, s := range engineMessages {
			if !slices.ContainsFunc(s.contains, func(w string) bool { return strings.Contains(line, w) }) {
				continue
			}
			m := s.form.FindStringSubmatch(line)
			if m == nil {
				continue
			}
			name := ""
			for i, n := range s.form.SubexpNames() {
				switch {
				case m[i] == "":
				case n == "name":
					name = m[i]
				case n == "expression":
					name = lastMember(m[i])
				}
			}
			return strings.Replace(s.means, "$name", name, 1), s.local, true
		}
	}
	return "", false, false
}

// PlainCodes is Plain, with codes that letters and digits are mixed in taken
// out of the shape as well: booking codes, short ids, durations.
func PlainCodes(message string) (shape string, local bool) {
	if shape, local, ok := engineMessageOf(message); ok {
		return shape, local
	}
	return ShapeCodes(message), false
}

// PlainShape is Plain by the grammar of package shape.
func PlainShape(message string) (says string, local bool) {
	if says, local, ok := engineMessageOf(message); ok {
		return says, local
	}
	return shape.Of(message), false
}

// WishShape is Wish by the grammar of package shape.
func WishShape(message string) string {
	if says, _, ok := engineMessageOf(message); ok {
		return says
	}
	return shape.Asked(message)
}

// anyID are the kinds of variable parts that one id may be read as: the next
// one has letters among its digits, or none.
var anyID = strings.NewReplacer("<number>", "<id>", "<code>", "<id>", "<hex>", "<id>")

// PlainIDs is PlainShape with one form for ids of all kinds.
func PlainIDs(message string) (says string, local bool) {
	if says, ok := mistake(message); ok && says != "" {
		return says, true
	}
	says, local = PlainShape(message)
	return anyID.Replace(says), local
}

// WishIDs is WishShape with one form for ids of all kinds.
func WishIDs(message string) string { return anyID.Replace(WishShape(message)) }

// lastMember is the member that an expression ends in, its call left off:
// "length" of "a.b[0].length", "map" of "a.map(f(x.y))".
func lastMember(expression string) string {
	for strings.HasSuffix(expression, ")") {
		depth, i := 0, len(expression)-1
		for ; i >= 0; i-- {
			if expression[i] == ')' {
				depth++
			} else if expression[i] == '(' {
				if depth--; depth == 0 {
					break
				}
			}
		}
		expression = expression[:max(i, 0)]
	}
	expression = strings.TrimRight(expression, `"']`)
	return expression[strings.LastIndexAny(expression, `.["'`)+1:]
}

// localTypes are the exceptions that runtimes throw at a mistake in the
// function itself: who called it does not matter.
var localTypes = map[string]bool{
	"java.lang.NullPointerException": true, "java.lang.ArrayIndexOutOfBoundsException": true,
	"java.lang.StringIndexOutOfBoundsException": true, "java.lang.IndexOutOfBoundsException": true,
	"java.lang.ClassCastException": true, "java.lang.ArithmeticException": true,
	"java.lang.NegativeArraySizeException": true, "java.util.ConcurrentModificationException": true,
	"java.lang.StackOverflowError": true,
	"AttributeError":               true, "NameError": true, "UnboundLocalError": true, "IndexError": true,
	"ZeroDivisionError": true, "RecursionError": true, "NoMethodError": true,
	"System.NullReferenceException": true, "System.IndexOutOfRangeException": true, "System.InvalidCastException": true,
	"System.DivideByZeroException": true,
	"SIGSEGV":                      true, "SIGFPE": true, "SIGBUS": true, "ReferenceError": true,
}

// Local says whether an exception reports a mistake in the very function that failed.
func Local(x event.Exception) bool {
	_, itself, _ := engineMessageOf(x.Message)
	return itself || localTypes[x.Type] || strings.HasPrefix(x.Message, "runtime error: ") ||
		strings.HasPrefix(x.Type, "runtime.")
}

// full are the types and messages of a stack that ran full, which engines name differently.
func full(x event.Exception) bool {
	switch x.Type {
	case "java.lang.StackOverflowError", "StackOverflowError", "RecursionError", "SystemStackError":
		return true
	}
	return strings.HasPrefix(x.Message, "Maximum call stack size exceeded") || x.Message == "too much recursion" ||
		strings.Contains(x.Message, "stack overflow")
}
