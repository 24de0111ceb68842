//! Every route there is says in one table what it needs, and no other does.

use std::collections::BTreeSet;
use std::path::Path;

use jampin_web::ROUTES;
use syn::{Item, LitStr};

use super::lines::files;

const METHODS: [&str; 5] = ["get", "post", "put", "patch", "delete"];

/// Method and pattern of every handler in the sources.
fn written() -> BTreeSet<(String, String)> {
    let sources = Path::new(env!("CARGO_MANIFEST_DIR")).join("../web/src");
    let mut found = BTreeSet::new();
    for path in files(&sources, &[".rs"]) {
        let text = std::fs::read_to_string(&path).expect("a source is text");
        for item in syn::parse_file(&text).expect("a source is Rust").items {
            let Item::Fn(function) = item else { continue };
            for attribute in &function.attrs {
                let name = attribute.path().get_ident().map(ToString::to_string).unwrap_or_default();
                if METHODS.contains(&name.as_str()) {
                    let pattern: LitStr = attribute.parse_args().expect("a route has a pattern");
                    found.insert((name.to_uppercase(), pattern.value()));
                }
            }
        }
    }
    found
}

#[test]
fn the_table_of_needs_has_every_route_and_no_other() {
    let written = written();
    assert!(written.len() > 90, "only {} routes were found", written.len());
    let table = ROUTES.iter().map(|(method, pattern, _)| ((*method).to_owned(), (*pattern).to_owned()));
    let table: BTreeSet<_> = table.collect();
    let lacking: Vec<_> = written.difference(&table).collect();
    let dead: Vec<_> = table.difference(&written).collect();
    assert!(lacking.is_empty() && dead.is_empty(), "not in the table: {lacking:?}; no such route: {dead:?}");
}
