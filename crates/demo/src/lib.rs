//! jampin-demo
