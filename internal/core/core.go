// Package core is the root of the rules and computation: one package for each step of the job, without SQL, HTTP,
// files, clock or randomness.
package core
