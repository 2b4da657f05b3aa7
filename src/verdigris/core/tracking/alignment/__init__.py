"""One frame compared with the reference: prediction, weights, step, and how sure the answer is."""
