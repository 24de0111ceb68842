//! What has to be true when the dust has settled.

use std::collections::BTreeSet;
use std::fs;
use std::path::Path;
use std::process::Command;

use serde_json::{Value, json};

use crate::party::{Party, text};

/// What a person has set by hand and was told that it is kept.
#[derive(Default)]
pub(crate) struct Kept {
    /// Name of the subject.
    pub name: String,
    /// The next one, which was sent and not answered: it may be kept or not.
    pub sent: Option<String>,
    /// Frame and place of the guide.
    pub guide: Option<(u64, f64, f64)>,
    /// Revision that was answered last.
    pub revision: i64,
}

fn sql(party: &Party, statement: &str) -> String {
    let output = Command::new("psql").args(["-qtAX", party.database(), "-c", statement]).output().expect("psql runs");
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8_lossy(&output.stdout).trim().to_owned()
}

fn names(folder: &Path) -> BTreeSet<String> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    entries.filter_map(|entry| entry.file_name().to_str().map(str::to_owned)).collect()
}

/// Rows and files agree, every job has ended, nothing half-made is there.
pub(crate) fn rows_and_files(party: &Party) {
    let active = sql(party, "SELECT count(*) FROM jobs WHERE state IN ('waiting', 'running') OR ended_at IS NULL");
    assert_eq!(active, "0", "every job ends");
    let preparing = sql(party, "SELECT count(*) FROM clips WHERE state = 'preparing'");
    assert_eq!(preparing, "0", "no clip waits for nobody");
    let beyond = "SELECT count(*) FROM shots JOIN clips ON clips.id = clip_id WHERE state = 'ready' AND last_frame >= jsonb_array_length(frames->'times')";
    assert_eq!(sql(party, beyond), "0", "no shot reaches beyond its clip");
    let clips = sql(party, "SELECT id || ' ' || state || ' ' || jsonb_array_length(frames->'times') FROM clips");
    let mut known = BTreeSet::new();
    for line in clips.lines() {
        let words: Vec<&str> = line.split(' ').collect();
        let folder = party.media().join("clips").join(words[0]);
        assert!(folder.join("original").exists(), "the film of {line}");
        if words[1] == "ready" {
            let pictures = names(&folder.join("previews")).len();
            assert_eq!(pictures.to_string(), words[2], "pictures of {line}");
        }
        known.insert(words[0].to_owned());
    }
    assert_eq!(names(&party.media().join("clips")), known, "a folder for each clip");
    let films = sql(
        party,
        "SELECT id || ' ' || (result->>'bytes') FROM jobs WHERE kind IN ('export', 'sequence') AND state = 'done'",
    );
    let mut written = BTreeSet::new();
    for line in films.lines() {
        let (id, bytes) = line.split_once(' ').expect("identity and length");
        let file = party.media().join("exports").join(format!("{id}.mp4"));
        assert_eq!(fs::metadata(&file).map_or(0, |meta| meta.len()).to_string(), bytes, "{}", file.display());
        written.insert(format!("{id}.mp4"));
    }
    let drafts: Vec<String> = names(&party.media().join("exports")).difference(&written).cloned().collect();
    // What a killed worker was writing goes with the next look at the house; never is it offered.
    assert!(drafts.iter().all(|name| name.split('.').count() > 2 || name.ends_with(".part")), "{drafts:?}");
}

/// Nothing that was set by hand is lost, and everything can be undone and made again.
pub(crate) fn set_by_hand(party: &Party, shot: &str, kept: &Kept) {
    let path = format!("/api/shots/{shot}");
    let state = party.get(&path).json();
    assert!(state["shot"]["revision"].as_i64() >= Some(kept.revision), "{} after {}", state["shot"], kept.revision);
    if kept.name.is_empty() {
        return;
    }
    let name = text(&state["subjects"][0]["name"]);
    assert!(name == kept.name || Some(&name) == kept.sent.as_ref(), "{name}, not {} or {:?}", kept.name, kept.sent);
    if let Some((frame, x, y)) = kept.guide {
        let track = &state["tracks"][0];
        let frames = track["frame"].as_array().expect("a track");
        let at = frames.iter().position(|other| other.as_u64() == Some(frame)).expect("the guide is there");
        assert_eq!((&track["state"][at], &track["x"][at], &track["y"][at]), (&json!("guide"), &json!(x), &json!(y)));
    }
    undo_and_redo(party, &path, &state);
}

fn undo_and_redo(party: &Party, path: &str, before: &Value) {
    let step = |word: &str| {
        let revision = party.get(path).json()["shot"]["revision"].clone();
        party.send("POST", &format!("{path}/{word}"), &json!({ "revision": revision })).status == 200
    };
    let mut undone = 0;
    while step("undo") {
        undone += 1;
    }
    assert_eq!(party.get(path).json()["subjects"], json!([]), "all of it is taken back");
    (0..undone).for_each(|n| assert!(step("redo"), "redo {n} of {undone}"));
    let after = party.get(path).json();
    for what in ["subjects", "tracks"] {
        assert_eq!(
            after[what],
            before[what],
            "{what} after {undone} undone and made again, of {}",
            text(&before["shot"]["id"])
        );
    }
}
