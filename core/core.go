// Package core holds nothing itself; its packages are the computation that Viandante is made of.
package core
