package plan

import (
	"context"
	"math/rand/v2"
)

// parted is into how many parts a coordinate is cut for n points: its levels, or n where there are more of them or none.
func parted(levels, n int) int {
	if levels == 0 || levels > n {
		return n
	}
	return levels
}

// partOf is the part in which a coordinate lies.
func partOf(u float64, levels, parts int) int {
	if levels <= parts { // none, or as many
		return min(int(u*float64(parts)), parts-1)
	}
	return int(u*float64(levels)) * parts / levels // a level belongs to one part
}

// within draws a coordinate in one of the parts for n points.
func within(r *rand.Rand, part, levels, n int) float64 {
	switch {
	case levels == 0:
		return (float64(part) + r.Float64()) / float64(n)
	case levels > n: // one of the levels that begin in the part
		first, behind := ceilDivide(part*levels, n), ceilDivide((part+1)*levels, n)
		return (float64(first+r.IntN(behind-first)) + r.Float64()) / float64(levels)
	}
	return (float64(part) + r.Float64()) / float64(levels)
}

func ceilDivide(a, b int) int { return (a + b - 1) / b }

// spread gives n more points of a coordinate to its parts, in random order: with those before, each part has as many as any
// other or one more, as far as those before allow it.
func spread(ctx context.Context, r *rand.Rand, n, levels int, before []float64) ([]int32, error) {
	count := parted(levels, n+len(before))
	parts, err := shares(ctx, r, n, taken(levels, count, before))
	if err != nil {
		return nil, err
	}
	return parts, shuffle(ctx, r, parts)
}

// taken counts the points in each part.
func taken(levels, parts int, before []float64) []int32 {
	counts := make([]int32, parts)
	for _, u := range before {
		counts[partOf(u, levels, parts)]++
	}
	return counts
}

// shares lists the parts to which n more points go: always to one that has fewest. Which of equals have more is random.
func shares(ctx context.Context, r *rand.Rand, n int, counts []int32) ([]int32, error) {
	parts := make([]int32, 0, n)
	for least := int32(0); len(parts) < n; least++ {
		var few []int32
		for part, count := range counts {
			if count <= least {
				few = append(few, int32(part))
			}
		}
		if n-len(parts) < len(few) { // these have one more
			if err := shuffle(ctx, r, few); err != nil {
				return nil, err
			}
		}
		for _, part := range few[:min(len(few), n-len(parts))] {
			parts = append(parts, part)
			counts[part]++
		}
	}
	return parts, nil
}

// looksAfter is how many numbers are shuffled before it is looked whether that is still wanted.
const looksAfter = 1 << 20

// shuffle is that of R. Durstenfeld, Communications of the ACM 7 (1964).
func shuffle(ctx context.Context, r *rand.Rand, all []int32) error {
	for i := len(all) - 1; i > 0; i-- {
		if i%looksAfter == 0 && ctx.Err() != nil {
			return ctx.Err()
		}
		j := r.IntN(i + 1)
		all[i], all[j] = all[j], all[i]
	}
	return ctx.Err()
}
