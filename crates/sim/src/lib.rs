//! A virtual dyno cell whose true answers are known.
