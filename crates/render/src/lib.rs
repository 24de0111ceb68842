//! jampin-render
