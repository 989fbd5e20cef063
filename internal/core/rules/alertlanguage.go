package rules

import (
	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
)

// alertVariables are names that alert conditions alone can use.
var alertVariables = []variable{
	{"issue", "", cel.ObjectType("rules.IssueFacts"), func(f *Facts) any { return f.occasion.Issue }},
	{"in_newest_release", "", cel.BoolType, func(f *Facts) any { return f.occasion.Newest }},
	{"symbols", "", cel.MapType(cel.StringType, cel.BoolType), func(f *Facts) any {
		return map[string]bool{"missing": f.occasion.Gaps}
	}},
}

// alertOptions are the names and functions of alert conditions. A condition writes
// became("new"), matches("search") and release.worse("production"); what it asks is the
// event with its occasion.
func alertOptions() []cel.EnvOption {
	var opts []cel.EnvOption
	for _, v := range alertVariables {
		opts = append(opts, cel.Variable(v.name, v.kind))
	}
	for name, answer := range map[string]func(Occasion, string) bool{
		"became": func(o Occasion, what string) bool { return o.Became == what },
		"worse":  func(o Occasion, environment string) bool { return o.Worse == environment && environment != "" },
		"fits":   func(o Occasion, search string) bool { return o.Matches != nil && o.Matches(search) },
	} {
		opts = append(opts, cel.Function(name,
			cel.MemberOverload("facts_"+name, []*cel.Type{factsType, cel.StringType}, cel.BoolType,
				cel.BinaryBinding(func(f, text ref.Val) ref.Val {
					return types.Bool(answer(f.(*Facts).occasion, string(text.(types.String))))
				}))))
	}
	asks := func(function string) cel.MacroFactory {
		return func(mef cel.MacroExprFactory, _ ast.Expr, args []ast.Expr) (ast.Expr, *cel.Error) {
			return mef.NewMemberCall(function, mef.NewIdent(factsName), args...), nil
		}
	}
	return append(opts, cel.Macros(
		cel.GlobalMacro("became", 1, asks("became")), cel.GlobalMacro("matches", 1, asks("fits")),
		cel.ReceiverMacro("worse", 1, func(mef cel.MacroExprFactory, target ast.Expr, args []ast.Expr) (ast.Expr,
			*cel.Error) {
			if target.Kind() != ast.IdentKind || target.AsIdent() != "release" {
				return nil, mef.NewError(target.ID(), "worse is asked of the release: release.worse(\"production\")")
			}
			return mef.NewMemberCall("worse", mef.NewIdent(factsName), args...), nil
		})))
}
