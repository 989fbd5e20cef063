package scope

import "testing"

func TestScan_NamesTheCallOfAnArgumentFunction(t *testing.T) {
	for code, want := range map[string]string{
		`app.get("/tides",(a,b)=>{})`:          `get /tides true`,
		"app.get(`/tides`,async a=>1)":         `get /tides true`,
		`debounce(function(){},9)`:             `debounce  false`,
		`new Promise((a,b)=>{})`:               `Promise  false`,
		`return(()=>{})`:                       `  false`,
		`if(()=>{}){}`:                         `  false`,
		`(function(){})()`:                     `  false`,
		`x.on("a",{handle(){}})`:               `  false`,
		`a.b("one",c("two",()=>{}))`:           `c two false`,
		`a.map(x=>x).filter(function(y){})`:    `map  true`,
		`async()=>{}`:                          `  false`,
		`f(a,b=>c)`:                            `f  false`,
		`const q=useCallback(async()=>{},[a])`: `useCallback  false`,
		`setTimeout("text".concat(()=>{}))`:    `concat  true`,
		`router["get"]("/x",()=>{})`:           `  false`,
	} {
		table := Scan([]byte(code))
		if table.Len() == 0 {
			t.Errorf("%s: no function", code)
			continue
		}
		f := table.At(0)
		member := "false"
		if f.ViaMember {
			member = "true"
		}
		if got := f.Via + " " + f.ViaText + " " + member; got != want {
			t.Errorf("%s: %q, want %q", code, got, want)
		}
	}
}
