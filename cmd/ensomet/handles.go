package main

const (
	manyHandles = 10_000 // connections at once, where the system sets no lower limit
	keptHandles = 96     // open files that are none of connections
)
