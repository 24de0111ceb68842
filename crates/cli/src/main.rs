//! jampin-cli
fn main() {}
