package marking

import "math/rand/v2"

// Shuffle puts numbers into an order that follows from a seed, always the same one. It returns the same slice.
func Shuffle(numbers []int, seed uint64) []int {
	rand.New(rand.NewPCG(seed, uint64(len(numbers)))).Shuffle(len(numbers), func(i, j int) {
		numbers[i], numbers[j] = numbers[j], numbers[i]
	})
	return numbers
}
