//! The solve on made shots.
