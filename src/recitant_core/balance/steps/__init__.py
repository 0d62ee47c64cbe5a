"""Steps of the first balance, each an old plan in and a step with the new plan out."""
