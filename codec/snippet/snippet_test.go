package snippet

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// nasty are texts that break out of what does not quote them.
var nasty = []string{`plain`, `a "b" 'c' \d`, "line\nbreak\ttab", `$HOME ${x} $(id) #{x} \(x) %s`, "`x` ${`y`}",
	`é ü 日本 🗻`,
	"\u2028\u2029", `*/ // -- <!-- """ '''`, `a&b=c+d?e;f%20`, `-38.1402,-26.0517`}

func requests(address string) map[string]Request {
	get := Request{Name: "nearby", Summary: "Stored places, by \"distance\"", Method: "GET", URL: address +
		"/v1/nearby",
		Notes: map[string]string{"q": "what it is"}, Answer: "application/json", Type: "{\n  x: number\n}"}
	for i, text := range nasty {
		get.Query = append(get.Query, [2]string{"q", text}, [2]string{fmt.Sprint("n", i), text})
	}
	body, _ := json.Marshal(map[string]any{"texts": nasty})
	put := Request{Name: "putItem", Summary: "Creates", Method: "PUT", URL: address + "/v1/items/1",
		Query: [][2]string{{"q", `a "b"`}}, Headers: [][2]string{{"Content-Type", "application/json"}, {"If-Match",
			`"7"`}},
		Body: string(body), Answer: "application/json"}
	return map[string]Request{"get": get, "put": put,
		"binary": {Name: "picture", Summary: "A picture", Method: "GET", URL: address + "/v1/picture.png",
			Answer: "image/png"},
		"delete": {Name: "deleteItem", Method: "DELETE", URL: address + "/v1/items/1"}}
}

// What is written is run by the tools that are on the machine; each sends the same request.
func TestCodeSendsTheRequest(t *testing.T) {
	var seen *http.Request
	var body string
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		text, _ := io.ReadAll(r.Body)
		seen, body = r, string(text)
		if strings.HasSuffix(r.URL.Path, ".png") {
			w.Header().Set("Content-Type", "image/png")
			_, _ = w.Write([]byte("PNG"))
			return
		}
		_, _ = w.Write([]byte(`{"answer": 42}`))
	}))
	defer s.Close()
	run := map[string]func(t *testing.T, dir, code string) *exec.Cmd{
		"curl":       tool("sh", "request.sh"),
		"javascript": tool("node", "request.mjs"),
		"python":     tool("python3", "request.py"),
		"go":         goTool,
		"typescript": typeScript,
	}
	for language, begin := range run {
		for name, r := range requests(s.URL) {
			t.Run(language+" "+name, func(t *testing.T) {
				code, err := Write(language, r)
				require.NoError(t, err)
				assert.NotContains(t, code, "s3cret")
				seen = nil
				cmd := begin(t, t.TempDir(), code)
				cmd.Env = append(os.Environ(), tokenVariable+"=s3cret", "GOFLAGS=-mod=mod")
				out, err := cmd.CombinedOutput()
				require.NoError(t, err, "%s\n%s", out, code)
				require.NotNil(t, seen, "%s", out)
				assert.Equal(t, r.Method, seen.Method)
				assert.Equal(t, "Bearer s3cret", seen.Header.Get("Authorization"))
				for _, p := range r.Query {
					assert.Contains(t, seen.URL.Query()[p[0]], p[1], "%s", code)
				}
				for _, h := range r.Headers {
					assert.Equal(t, h[1], seen.Header.Get(h[0]))
				}
				assert.Equal(t, r.Body, body)
				if r.IsJSON() {
					assert.Contains(t, strings.ReplaceAll(string(out), " ", ""), `"answer":42`)
				}
			})
		}
	}
}

func tool(name, file string) func(t *testing.T, dir, code string) *exec.Cmd {
	return func(t *testing.T, dir, code string) *exec.Cmd {
		if _, err := exec.LookPath(name); err != nil {
			t.Skipf("%s is not on this machine", name)
		}
		path := filepath.Join(dir, file)
		require.NoError(t, os.WriteFile(path, []byte(code), 0o600))
		return exec.Command(name, path)
	}
}

func goTool(t *testing.T, dir, code string) *exec.Cmd {
	path := filepath.Join(dir, "main.go")
	require.NoError(t, os.WriteFile(path, []byte(code), 0o600))
	return exec.Command("go", "run", path)
}

// typeScript is held to its types, strictly, and run as what comes of it.
func typeScript(t *testing.T, dir, code string) *exec.Cmd {
	compiler, err := filepath.Abs("../../ui/node_modules/typescript/bin/tsc")
	require.NoError(t, err)
	path := filepath.Join(dir, "request.ts")
	require.NoError(t, os.WriteFile(path, []byte(code), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "package.json"), []byte(`{"type":"module"}`), 0o600))
	out, err := exec.Command("node", compiler, "--strict", "--target", "es2022", "--module", "nodenext", "--lib",
		"es2022,dom,dom.iterable", path).CombinedOutput()
	require.NoError(t, err, "%s\n%s", out, code)
	return exec.Command("node", filepath.Join(dir, "request.js"))
}

// The others are held to their grammars.
func TestCodeIsWellFormed(t *testing.T) {
	var files []string
	dir := t.TempDir()
	for _, language := range []string{"swift", "kotlin", "dart"} {
		for name, r := range requests("https://app.example") {
			code, err := Write(language, r)
			require.NoError(t, err)
			file := filepath.Join(dir, name+"."+language)
			require.NoError(t, os.WriteFile(file, []byte(code), 0o600))
			files = append(files, file)
			broken := filepath.Join(dir, name+"-broken."+language)
			require.NoError(t, os.WriteFile(broken, []byte(code[:strings.LastIndex(code, ")")]), 0o600))
			files = append(files, broken)
		}
	}
	cmd := exec.Command("node", append([]string{"testdata/parse.cjs"}, files...)...)
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", out)
	var wrong map[string]string
	require.NoError(t, json.Unmarshal(out, &wrong), "%s", out)
	for _, file := range files {
		text, _ := os.ReadFile(file)
		if strings.Contains(file, "-broken") {
			assert.NotEmpty(t, wrong[file], "what is broken is seen to be: %s", text)
		} else {
			assert.Empty(t, wrong[file], "%s", text)
		}
	}
}

func TestWhatCannotBeWritten(t *testing.T) {
	_, err := Write("cobol", Request{})
	assert.Error(t, err)
	code, err := Write("curl", Request{Summary: "a\nb; rm -rf /", Method: "GET", URL: "http://x/"})
	require.NoError(t, err)
	assert.Contains(t, code, "# a b; rm -rf /\n", "a summary stays on its line")
}
