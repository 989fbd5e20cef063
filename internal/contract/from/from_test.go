package from

import (
	"encoding/json"
	"reflect"
	"testing"

	"firethorn/internal/core/event"
	"firethorn/internal/core/regroup"
	"firethorn/internal/core/review"
	"firethorn/internal/core/rules"
)

// filled sets every field of a value to something that is not its zero value.
func filled(v reflect.Value) {
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				filled(v.Field(i))
			}
		}
	case reflect.Slice:
		v.Set(reflect.MakeSlice(v.Type(), 1, 1))
		filled(v.Index(0))
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
		filled(v.Elem())
	case reflect.Map:
		v.Set(reflect.MakeMap(v.Type()))
		value := reflect.New(v.Type().Elem()).Elem()
		filled(value)
		v.SetMapIndex(reflect.ValueOf("tide"), value)
	case reflect.String:
		v.SetString("tide")
	case reflect.Int, reflect.Int64:
		v.SetInt(7)
	case reflect.Bool:
		v.SetBool(true)
	case reflect.Interface:
		v.Set(reflect.ValueOf("tide"))
	}
}

func full[T any]() (v T) {
	filled(reflect.ValueOf(&v).Elem())
	return v
}

// The contract tells every field that the core's JSON tells, by the same name.
func TestFrom_LosesNothing(t *testing.T) {
	for what, x := range map[string][2]any{
		"frames":      {[]event.Frame{full[event.Frame]()}, Frames([]event.Frame{full[event.Frame]()})},
		"breadcrumbs": {[]event.Breadcrumb{full[event.Breadcrumb]()}, Breadcrumbs([]event.Breadcrumb{full[event.Breadcrumb]()})},
		"outcome":     {full[regroup.Outcome](), Outcome(full[regroup.Outcome]())},
		"findings":    {[]review.Finding{full[review.Finding]()}, Findings([]review.Finding{full[review.Finding]()})},
		"trial rules": {full[[]*rules.TrialRule](), TrialRules(full[[]*rules.TrialRule]())},
	} {
		core, err := json.Marshal(x[0])
		if err != nil {
			t.Fatal(err)
		}
		ours, err := json.Marshal(x[1])
		if err != nil {
			t.Fatal(err)
		}
		if string(core) != string(ours) || len(core) < 80 {
			t.Errorf("%s:\n%s\n%s", what, core, ours)
		}
	}
}

func TestFrom_MakesListsOfNothing(t *testing.T) {
	if Frames(nil) == nil || Parts(nil) == nil || Outcome(regroup.Outcome{}).Merges == nil {
		t.Error("a list is null where the contract promises a list")
	}
}
