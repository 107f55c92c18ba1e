// Package trial holds files as they come against what a sensible controller expects of them, from recognising a table to its
// remedies: each is read as it was meant, or asked about, or refused. It holds tests alone.
package trial
