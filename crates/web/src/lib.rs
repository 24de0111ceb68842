//! jampin-web
