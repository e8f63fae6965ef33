package snippet

// source are the templates, one for each language.
const source = `
{{define "curl"}}# {{.Summary}}
curl --fail-with-body --silent --show-error \
{{- if and (eq .Method "GET") .Query}}
  --get {{sh .URL}} \
{{- range .Query}}
  --data-urlencode {{printf "%s=%s" (index . 0) (index . 1) | sh}} \
{{- end}}
{{- else}}
  {{if ne .Method "GET"}}--request {{.Method}} {{end}}{{sh .Full}} \
{{- end}}
{{- range .Headers}}
  --header {{printf "%s: %s" (index . 0) (index . 1) | sh}} \
{{- end}}
{{- if .Body}}
  --data-raw {{sh .Body}} \
{{- end}}
  --header "Authorization: Bearer ${{token}}"
{{end}}

{{define "jsbody"}}  const url = new URL({{js .URL}})
{{- $r := .}}
{{- range .Query}}
  url.searchParams.append({{js (index . 0)}}, {{js (index . 1)}}){{with $r.Note (index . 0)}} // {{.}}{{end}}
{{- end}}
  const response = await fetch(url, {
{{- if ne .Method "GET"}}
    method: {{js .Method}},
{{- end}}
    headers: {
      Authorization: ` + "`Bearer ${token}`" + `,
{{- range .Headers}}
      {{js (index . 0)}}: {{js (index . 1)}},
{{- end}}
    },
{{- if .Body}}
    body: {{js .Body}},
{{- end}}
  })
  if (!response.ok) throw new Error(await response.text())
{{end}}

{{define "javascript"}}/** {{.Summary}} */
async function {{.Name}}(token) {
{{template "jsbody" .}}
{{- if .IsJSON}}  return response.json()
{{else}}  return Buffer.from(await response.arrayBuffer())
{{end -}}
}

const answer = await {{.Name}}(process.env.{{token}})
{{if .IsJSON}}console.log(JSON.stringify(answer, null, 2)){{else}}process.stdout.write(answer){{end}}
{{end}}

{{define "typescript"}}{{if .IsJSON}}export type Answer = {{if .Type}}{{.Type}}{{else}}unknown{{end}}

{{end}}/** {{.Summary}} */
export async function {{.Name}}(token: string): Promise<{{if .IsJSON}}Answer{{else}}ArrayBuffer{{end}}> {
{{template "jsbody" .}}
{{- if .IsJSON}}  return (await response.json()) as Answer
{{else}}  return response.arrayBuffer()
{{end -}}
}

declare const process: { env: Record<string, string | undefined> }
const answer = await {{.Name}}(process.env.{{token}} ?? '')
console.log({{if .IsJSON}}JSON.stringify(answer, null, 2){{else}}answer.byteLength{{end}})
{{end}}

{{define "swift"}}import Foundation
#if canImport(FoundationNetworking)
import FoundationNetworking
#endif

/// {{.Summary}}
func {{.Name}}(token: String) async throws -> Data {
{{- $r := .}}
    var components = URLComponents(string: {{swift .URL}})!
{{- if .Query}}
    components.queryItems = [
{{- range .Query}}
        URLQueryItem(name: {{swift (index . 0)}}, value: {{swift (index . 1)}}),{{with $r.Note (index . 0)}} // {{.}}{{end}}
{{- end}}
    ]
    components.percentEncodedQuery = components.percentEncodedQuery?.replacingOccurrences(of: "+", with: "%2B")
{{- end}}
    var request = URLRequest(url: components.url!)
    request.httpMethod = {{swift .Method}}
    request.setValue("Bearer \(token)", forHTTPHeaderField: "Authorization")
{{- range .Headers}}
    request.setValue({{swift (index . 1)}}, forHTTPHeaderField: {{swift (index . 0)}})
{{- end}}
{{- if .Body}}
    request.httpBody = Data({{swift .Body}}.utf8)
{{- end}}
    let (data, response) = try await URLSession.shared.data(for: request)
    let status = (response as? HTTPURLResponse)?.statusCode ?? 0
    guard (200..<300).contains(status) else {
        throw URLError(.badServerResponse, userInfo: [NSLocalizedDescriptionKey: String(decoding: data, as: UTF8.self)])
    }
    return data
}

let answer = try await {{.Name}}(token: ProcessInfo.processInfo.environment["{{token}}"] ?? "")
print(String(decoding: answer, as: UTF8.self))
{{end}}

{{define "kotlin"}}import java.net.URI
import java.net.URLEncoder
import java.net.http.HttpClient
import java.net.http.HttpRequest
import java.net.http.HttpResponse

/** {{.Summary}} */
fun {{.Name}}(token: String): ByteArray {
{{- $r := .}}
{{- if .Query}}
    val query = listOf(
{{- range .Query}}
        {{kotlin (index . 0)}} to {{kotlin (index . 1)}},{{with $r.Note (index . 0)}} // {{.}}{{end}}
{{- end}}
    ).joinToString("&") { (name, value) -> name + "=" + URLEncoder.encode(value, Charsets.UTF_8) }
    val request = HttpRequest.newBuilder(URI.create({{kotlin .URL}} + "?" + query))
{{- else}}
    val request = HttpRequest.newBuilder(URI.create({{kotlin .URL}}))
{{- end}}
        .header("Authorization", "Bearer $token")
{{- range .Headers}}
        .header({{kotlin (index . 0)}}, {{kotlin (index . 1)}})
{{- end}}
{{- if .Body}}
        .method({{kotlin .Method}}, HttpRequest.BodyPublishers.ofString({{kotlin .Body}}))
{{- else}}
        .method({{kotlin .Method}}, HttpRequest.BodyPublishers.noBody())
{{- end}}
        .build()
    val response = HttpClient.newHttpClient().send(request, HttpResponse.BodyHandlers.ofByteArray())
    check(response.statusCode() in 200..299) { String(response.body()) }
    return response.body()
}

fun main() {
    System.out.write({{.Name}}(System.getenv("{{token}}")))
}
{{end}}

{{define "dart"}}import 'dart:convert';
import 'dart:io';

/// {{.Summary}}
Future<List<int>> {{.Name}}(String token) async {
{{- $r := .}}
{{- if .Query}}
  final url = Uri.parse({{dart .URL}}).replace(queryParameters: {
{{- range .Grouped}}
    {{dart .Name}}: {{if gt (len .Values) 1}}[{{range $i, $v := .Values}}{{if $i}}, {{end}}{{dart $v}}{{end}}]{{else}}{{dart (index .Values 0)}}{{end}},{{with $r.Note .Name}} // {{.}}{{end}}
{{- end}}
  });
{{- else}}
  final url = Uri.parse({{dart .URL}});
{{- end}}
  final client = HttpClient();
  try {
    final request = await client.openUrl({{dart .Method}}, url);
    request.headers.set("Authorization", "Bearer $token");
{{- range .Headers}}
    request.headers.set({{dart (index . 0)}}, {{dart (index . 1)}});
{{- end}}
{{- if .Body}}
    request.add(utf8.encode({{dart .Body}}));
{{- end}}
    final response = await request.close();
    final answer = await response.expand((piece) => piece).toList();
    if (response.statusCode >= 300) throw HttpException(utf8.decode(answer), uri: url);
    return answer;
  } finally {
    client.close();
  }
}

Future<void> main() async {
  stdout.add(await {{.Name}}(Platform.environment["{{token}}"] ?? ""));
}
{{end}}

{{define "python"}}import os
import sys
import urllib.parse
import urllib.request


def {{snake .Name}}(token: str) -> bytes:
    {{python .Summary}}
{{- $r := .}}
    url = {{python .URL}}
{{- if .Query}}
    url += "?" + urllib.parse.urlencode([
{{- range .Query}}
        ({{python (index . 0)}}, {{python (index . 1)}}),{{with $r.Note (index . 0)}}  # {{.}}{{end}}
{{- end}}
    ])
{{- end}}
    request = urllib.request.Request(url, method={{python .Method}}, headers={
        "Authorization": f"Bearer {token}",
{{- range .Headers}}
        {{python (index . 0)}}: {{python (index . 1)}},
{{- end}}
    }{{if .Body}}, data={{python .Body}}.encode(){{end}})
    with urllib.request.urlopen(request) as response:
        return response.read()


sys.stdout.buffer.write({{snake .Name}}(os.environ["{{token}}"]))
{{end}}

{{define "go"}}package main

import (
	"fmt"
	"io"
	"net/http"
{{- if .Query}}
	"net/url"
{{- end}}
	"os"
{{- if .Body}}
	"strings"
{{- end}}
)

// {{title .Name}}: {{.Summary}}
func {{title .Name}}(token string) ([]byte, error) {
{{- $r := .}}
{{- if .Query}}
	query := url.Values{}
{{- range .Query}}
	query.Add({{golang (index . 0)}}, {{golang (index . 1)}}){{with $r.Note (index . 0)}} // {{.}}{{end}}
{{- end}}
	request, err := http.NewRequest({{golang .Method}}, {{golang .URL}}+"?"+query.Encode(), {{if .Body}}strings.NewReader({{golang .Body}}){{else}}nil{{end}})
{{- else}}
	request, err := http.NewRequest({{golang .Method}}, {{golang .URL}}, {{if .Body}}strings.NewReader({{golang .Body}}){{else}}nil{{end}})
{{- end}}
	if err != nil {
		return nil, err
	}
	request.Header.Set("Authorization", "Bearer "+token)
{{- range .Headers}}
	request.Header.Set({{golang (index . 0)}}, {{golang (index . 1)}})
{{- end}}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		return nil, err
	}
	defer response.Body.Close()
	answer, err := io.ReadAll(response.Body)
	if err == nil && response.StatusCode >= 300 {
		err = fmt.Errorf("%s: %s", response.Status, answer)
	}
	return answer, err
}

func main() {
	answer, err := {{title .Name}}(os.Getenv("{{token}}"))
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	os.Stdout.Write(answer)
}
{{end}}
`
