//! Dependencies point one way. Reads `cargo metadata`.

mod circles;
mod lines;
mod routes;

use std::collections::BTreeMap;
use std::process::Command;

use serde_json::Value;

/// What each crate may depend on inside the workspace, for use; and beyond it only the testkit, for tests.
const ALLOWED: [(&str, &[&str]); 11] = [
    ("core", &["spectrum"]),
    ("media", &["core"]),
    ("render", &["core"]),
    ("store", &["core"]),
    ("jobs", &["core", "media", "render", "store"]),
    ("web", &["core", "jobs", "media", "render", "store"]),
    ("cli", &["core", "demo", "jobs", "media", "render", "sandbox", "store", "web"]),
    ("sandbox", &[]),
    ("spectrum", &[]),
    ("demo", &["core", "media", "render"]),
    ("testkit", &["core"]),
];

fn metadata() -> Value {
    let output = Command::new(env!("CARGO"))
        .args(["metadata", "--format-version", "1", "--no-deps", "--offline"])
        .current_dir(env!("CARGO_MANIFEST_DIR"))
        .output()
        .expect("cargo runs");
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    serde_json::from_slice(&output.stdout).expect("metadata is JSON")
}

/// Every crate with its dependencies: name and kind (`None` for use, `dev` for tests).
fn dependencies() -> BTreeMap<String, Vec<(String, Option<String>)>> {
    let text = |value: &Value| value.as_str().map(str::to_owned);
    let metadata = metadata();
    let packages = metadata["packages"].as_array().expect("there are packages");
    packages
        .iter()
        .map(|package| {
            let list = package["dependencies"].as_array().into_iter().flatten();
            let list = list.map(|dep| (text(&dep["name"]).unwrap_or_default(), text(&dep["kind"])));
            (text(&package["name"]).unwrap_or_default(), list.collect())
        })
        .collect()
}

#[test]
fn arrows_point_one_way() {
    let all = dependencies();
    let mut checked = 0;
    for (name, allowed) in ALLOWED {
        let list = all.get(&format!("jampin-{name}")).unwrap_or_else(|| panic!("there is no crate {name}"));
        for (dependency, kind) in list {
            let Some(inside) = dependency.strip_prefix("jampin-") else { continue };
            let for_tests = kind.as_deref() == Some("dev") && inside == "testkit";
            assert!(allowed.contains(&inside) || for_tests, "{name} must not depend on {inside} ({kind:?})");
            checked += 1;
        }
    }
    assert!(checked > 15, "only {checked} dependencies were looked at");
    assert_eq!(all.len(), ALLOWED.len(), "a crate is missing from the list: {:?}", all.keys());
}

#[test]
fn the_core_knows_nothing_of_the_outside() {
    let all = dependencies();
    let outside = ["tokio", "actix-web", "diesel", "rayon", "tempfile", "tracing", "chrono"];
    for (dependency, kind) in &all["jampin-core"] {
        assert!(kind.is_some() || !outside.contains(&dependency.as_str()), "core uses {dependency}");
    }
}

/// The build of Alpine that needs no `unsafe-eval` runs one expression for each attribute; of a second one only the
/// browser's console tells.
#[test]
fn pages_ask_for_one_thing_at_a_time() {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../web/templates");
    let mut checked = 0;
    for path in lines::files(std::path::Path::new(folder), &[".html"]) {
        let text = std::fs::read_to_string(&path).unwrap().replace("&amp;", "&");
        let pieces: Vec<&str> = text.split('"').collect();
        for pair in pieces.windows(2) {
            let name = pair[0].rsplit([' ', '\n']).next().unwrap_or_default();
            if name.ends_with('=') && name.starts_with(['@', ':']) || name.starts_with("x-") && name.ends_with('=') {
                assert!(
                    !pair[1].contains(';') && !pair[1].contains("$event.target.value ="),
                    "{path:?}: {name}\"{}\"",
                    pair[1]
                );
                checked += 1;
            }
        }
    }
    assert!(checked > 100, "only {checked} attributes were looked at");
}
