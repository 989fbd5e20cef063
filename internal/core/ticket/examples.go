package ticket

// Example is a call with example values filled in.
type Example struct{ Operation, Method, URL, Body string }

// Examples fills in all calls, in the order of the operations. Secrets are not shown.
func (d *Description) Examples() (out []Example) {
	v := Values{
		"secret": "…", "id": "0193a1f2-7c1e-7b3a-9d55-2f6f1f0a9e01",
		"title": "TypeError: cabin is undefined at booking.ts:41", "text": "TypeError …",
		"labels": []string{"firethorn", "quayside", "error"}, "issue": "quayside/12", "project": "quayside",
		"issue_link": "https://firethorn.marrowsound.example/p/quayside/issues/12", "severity": "error",
		"release": "4.2.0", "environment": "production", "rule": "new in the newest release", "key": "41",
		"comment": "The issue was fixed in 4.2.1.",
	}
	for _, o := range operations {
		op := d.Ops[o.name]
		if op == nil {
			continue
		}
		for _, c := range op.Calls {
			r, err := d.request(c, v)
			if err != nil {
				continue
			}
			out = append(out, Example{o.name, r.Method, r.URL, string(r.Body)})
			for name := range c.Take {
				if v[name] == nil {
					v[name] = name
				}
			}
		}
	}
	return out
}
