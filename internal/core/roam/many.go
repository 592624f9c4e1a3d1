package roam

func (g *ground) meet(k uint64) string { return g.roam(k) }
