package regionfile

import (
	"runtime"
	"runtime/debug"
	"sync"
	"sync/atomic"
	"unsafe"
)

// Fault is memory of a mapped file that could not be read: the file was cut short, or its disk failed.
type Fault struct{ address uintptr }

func (f *Fault) Error() string {
	return "the region file cannot be read any more: it was cut short, or its disk fails"
}

// Guard runs f. Where f touches mapped memory that is no longer there, which would otherwise end the process, Guard
// returns a *Fault; whatever else f panics with goes on. It guards the calling goroutine only, not those that f starts.
func Guard(f func()) (err error) {
	defer debug.SetPanicOnFault(debug.SetPanicOnFault(true))
	defer func() {
		if p := recover(); p != nil {
			at, ok := p.(interface {
				runtime.Error
				Addr() uintptr // runtime/debug: what SetPanicOnFault's panics have
			})
			if !ok {
				panic(p)
			}
			err = &Fault{at.Addr()}
		}
	}()
	f()
	return nil
}

// Holds tells whether a fault lies in the memory of this file.
func (f *File) Holds(fault *Fault) bool {
	first := uintptr(unsafe.Pointer(unsafe.SliceData(f.data)))
	return fault.address >= first && fault.address-first < uintptr(len(f.data))
}

// Parallel does pieces of work in two goroutines; a fault that one of them meets is met by the goroutine that waits for
// them, so that its Guard takes it.
var Parallel = parallel{}

type parallel struct{}

// Workers is how many goroutines there are.
func (parallel) Workers() int { return 2 }

// Do calls work with each number below n, and returns when all are done. A panic of work comes out of it.
func (p parallel) Do(n int, work func(i int)) {
	var next atomic.Int64
	var first atomic.Pointer[any]
	var done sync.WaitGroup
	for range p.Workers() {
		done.Go(func() {
			defer debug.SetPanicOnFault(debug.SetPanicOnFault(true))
			defer func() {
				if met := recover(); met != nil {
					first.CompareAndSwap(nil, &met)
				}
			}()
			for i := int(next.Add(1)) - 1; i < n && first.Load() == nil; i = int(next.Add(1)) - 1 {
				work(i)
			}
		})
	}
	done.Wait()
	if met := first.Load(); met != nil {
		panic(*met)
	}
}
