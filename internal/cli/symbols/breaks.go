package symbols

import (
	"crypto/md5"
	"crypto/sha1"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
)

// hashes are those written down in the files of a directory: of subresource
// integrity, of lists of what a service worker keeps, of checksums. Each leads
// to the file it stands in.
type hashes map[string]string

var (
	integrity = regexp.MustCompile(`\bsha(?:256|384|512)-[A-Za-z0-9+/]{40,}={0,2}`)
	checksum  = regexp.MustCompile(`\b(?:[0-9a-f]{128}|[0-9a-f]{96}|[0-9a-f]{64}|[0-9a-f]{40}|[0-9a-f]{32})\b`)
)

// hashFiles are what hashes of other files are written down in.
var hashFiles = []string{".html", ".htm", ".json", ".webmanifest", ".txt", ".js", ".mjs", ".sha256", ".sha512", ".md5",
	".xml", ""}

const maxHashFile = 4 << 20

func writtenHashes(dir string) (hashes, error) {
	out := hashes{}
	return out, filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && d.Name() == "node_modules" {
			return filepath.SkipDir
		}
		info, err := d.Info()
		if err != nil || d.IsDir() || info.Size() > maxHashFile || !slices.Contains(hashFiles, filepath.Ext(path)) {
			return err
		}
		raw, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(dir, path)
		for _, re := range []*regexp.Regexp{integrity, checksum} {
			for _, h := range re.FindAllString(string(raw), -1) {
				out[h] = filepath.ToSlash(rel)
			}
		}
		return err
	})
}

// breaks says what would no longer hold if a file changed, "" if nothing known.
func breaks(path string, code []byte, written hashes) string {
	s256, s384, s512 := sha256.Sum256(code), sha512.Sum384(code), sha512.Sum512(code)
	s1, m5 := sha1.Sum(code), md5.Sum(code)
	for name, sum := range map[string][]byte{"sha256": s256[:], "sha384": s384[:], "sha512": s512[:]} {
		if in, ok := written[name+"-"+base64.StdEncoding.EncodeToString(sum)]; ok {
			return fmt.Sprintf("%s holds its integrity hash: browsers would refuse it", in)
		}
	}
	for _, sum := range [][]byte{s256[:], s384[:], s512[:], s1[:], m5[:]} {
		if in, ok := written[hex.EncodeToString(sum)]; ok {
			return fmt.Sprintf("%s holds its checksum, which would no longer be right", in)
		}
	}
	base := strings.TrimSuffix(path, filepath.Ext(path))
	for _, ending := range []string{".sig", ".asc", ".minisig"} {
		for _, of := range []string{path, base} {
			if _, err := os.Stat(of + ending); err == nil {
				return fmt.Sprintf("it is signed (%s): the signature would no longer be right",
					filepath.Base(of+ending))
			}
		}
	}
	for _, ending := range []string{".gz", ".br", ".zst"} {
		if _, err := os.Stat(path + ending); err == nil {
			return fmt.Sprintf("its compressed copy %s would go on serving it without the id",
				filepath.Base(path+ending))
		}
	}
	return ""
}
