package snapshot

// MostTouched is for how many products positions are worked out ahead of all others.
const MostTouched = 500
