package main
import ("bytes";"fmt";"net/http";"os";"sort";"strings";"time";"io";"github.com/google/uuid")
func main(){
 tok,_:=os.ReadFile("var/bench/million/demo.token"); t:=strings.TrimSpace(string(tok))
 do:=func(m,p string,b string,h ...string) float64 { r,_:=http.NewRequest(m,"http://127.0.0.1:8090"+p,bytes.NewReader([]byte(b))); r.Header.Set("Authorization","Bearer "+t); for i:=0;i<len(h);i+=2 {r.Header.Set(h[i],h[i+1])}; t0:=time.Now(); resp,err:=http.DefaultClient.Do(r); if err!=nil {panic(err)}; io.ReadAll(resp.Body); resp.Body.Close(); if resp.StatusCode>299 {panic(resp.Status)}; return float64(time.Since(t0).Microseconds())}
 med:=func(f func() float64){ var v []float64; for range 300 {v=append(v,f())}; sort.Float64s(v); fmt.Println(v[150],v[285]) }
 med(func() float64 {return do("GET","/healthz","")})
 med(func() float64 {return do("GET","/v1/measure?from=1,2&to=3,4","")})
 var ids []string
 med(func() float64 {return do("POST","/v1/shape",`{"type":"Feature","geometry":{"type":"LineString","coordinates":[[-26.2,-38.1],[-26.3,-38.2]]},"properties":{"name":"One more","category":"fountain"}}`)})
 med(func() float64 {return do("GET","/v1/collections","")})
 med(func() float64 {id:=uuid.Must(uuid.NewV7()).String(); ids=append(ids,id); return do("PUT","/ogc/collections/posts/items/"+id,`{"type":"Feature","geometry":{"type":"Point","coordinates":[-26.2,-38.1]},"properties":{"name":"One more","category":"fountain"}}`,"If-None-Match","*")})
 for _,id:=range ids {do("DELETE","/ogc/collections/posts/items/"+id,"","If-Match","*")}
}
