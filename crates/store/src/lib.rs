//! jampin-store
