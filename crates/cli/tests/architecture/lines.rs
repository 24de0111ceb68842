//! No line is longer than a person reads.

use std::path::{Path, PathBuf};

/// Characters of the longest line.
const MOST: usize = 160;

/// All files of ours below a folder that end like this.
pub(super) fn files(folder: &Path, endings: &[&str]) -> Vec<PathBuf> {
    let entries = std::fs::read_dir(folder).expect("the folder can be read");
    let mut found = Vec::new();
    for path in entries.map(|entry| entry.expect("its entries can be read").path()) {
        let name = path.file_name().and_then(|name| name.to_str()).unwrap_or_default();
        if path.is_dir() && name != "vendor" && name != "target" {
            found.extend(files(&path, endings));
        } else if endings.iter().any(|ending| name.ends_with(ending)) && path.is_file() {
            found.push(path);
        }
    }
    found
}

#[test]
fn no_line_is_too_long() {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).parent().expect("the crate lies among the others");
    let all = files(crates, &[".rs", ".html", ".js", ".css"]);
    assert!(all.len() > 300, "only {} files were looked at", all.len());
    let mut long = Vec::new();
    for path in all {
        let text = std::fs::read_to_string(&path).expect("a source is text");
        let lines = text.lines().enumerate().filter(|(_, line)| line.chars().count() > MOST);
        long.extend(lines.map(|(n, _)| format!("{}:{}", path.display(), n + 1)));
    }
    assert!(long.is_empty(), "longer than {MOST} characters:\n{}", long.join("\n"));
}
