//! Films of every container that is read, and pictures, with bits turned over, cut off, or their heads changed for
//! others': a sentence each, and nothing is left behind.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use jampin_testkit::{Dice, make_film, request};
use serde_json::json;

use crate::checker::rows_and_files;
use crate::party::{Party, text};

const FILMS: [(&str, &str); 10] = [
    ("film.mp4", "-c:v libx264"),
    ("film.mov", "-c:v prores_ks"),
    ("film.mkv", "-c:v libx264"),
    ("film.webm", "-c:v libvpx-vp9 -deadline realtime"),
    ("film.avi", "-c:v mjpeg"),
    ("film.mxf", "-c:v mpeg2video"),
    ("film.ts", "-c:v mpeg2video"),
    ("film.ogv", "-c:v libtheora"),
    ("film.gif", "-c:v gif"),
    ("film.flv", "-c:v flv"),
];
const PICTURES: [(&str, &str); 3] =
    [("dot.png", "-frames:v 1"), ("dot.jpg", "-frames:v 1"), ("dot.webp", "-frames:v 1")];
const CREST: &[u8] = b"<svg xmlns='http://www.w3.org/2000/svg' xmlns:xlink='http://www.w3.org/1999/xlink' width='40' height='20'><defs>\
    <linearGradient id='a'><stop offset='0' stop-color='red'/></linearGradient></defs><g transform='scale(2)'><use xlink:href='#b'/>\
    <path id='b' d='M1 1C3 4 5 6 7 8z' fill='url(#a)' stroke-dasharray='1 2'/></g></svg>";

pub(crate) fn run(count: u32) {
    let dir = tempfile::tempdir().expect("room for films");
    let source = "-f lavfi -i testsrc2=size=160x120:rate=25:duration=0.6 -pix_fmt yuv420p";
    let make = |(name, options): &(&str, &str)| -> Vec<u8> {
        let pixels = if name.ends_with("mov") { source.replace("yuv420p", "yuv422p10le") } else { source.into() };
        let path: PathBuf = make_film(dir.path(), name, &format!("{pixels} {options}"));
        std::fs::read(path).expect("the film can be read")
    };
    let films: Vec<Vec<u8>> = FILMS.iter().map(make).collect();
    let pictures: Vec<Vec<u8>> = PICTURES.iter().map(make).chain([CREST.to_vec()]).collect();
    let party = Party::begin(&[]);
    let mut dice = Dice(7);
    let tally = films_of(&party, dir.path(), &films, count, &mut dice);
    println!("{count} broken films: {tally:?}");
    let tally = pictures_of(&party, &pictures, count, &mut dice);
    println!("{count} broken pictures: {tally:?}");
    println!("\nno crash, nothing left behind");
}

fn films_of(party: &Party, dir: &Path, films: &[Vec<u8>], count: u32, dice: &mut Dice) -> BTreeMap<String, u32> {
    let mut tally = BTreeMap::new();
    let project = party.project("Broken");
    for n in 0..count {
        let path = dir.join("broken");
        std::fs::write(&path, broken(dice, films)).expect("room for a film");
        let answer = party.upload(&project, &path);
        let word = match answer.status {
            201 => "taken in".to_owned(),
            413 | 422 => {
                let message = answer.json()["message"].as_str().unwrap_or_default().to_owned();
                assert!(message.len() > 20 && message.ends_with(['.', '?', '!']), "no sentence: {message:?}");
                "refused with a sentence".to_owned()
            }
            other => panic!("{other} for film {n}: {}", answer.text()),
        };
        *tally.entry(word).or_default() += 1;
        if n % 50 == 49 {
            party.settle();
            rows_and_files(party);
            println!("{} films", n + 1);
        }
    }
    party.settle();
    rows_and_files(party);
    for clip in party.get(&format!("/api/projects/{project}")).json()["clips"].as_array().into_iter().flatten() {
        let state = text(&clip["state"]);
        if state == "failed" {
            assert!(clip["problem"].as_str().is_some_and(|problem| problem.len() > 20), "{clip}");
        }
        *tally.entry(format!("then {state}")).or_default() += 1;
    }
    party.send("DELETE", &format!("/api/projects/{project}"), &json!({}));
    party.send("DELETE", &format!("/api/projects/{project}/for-good"), &json!({}));
    for folder in ["clips", "uploads", "exports"] {
        let left = std::fs::read_dir(party.media().join(folder)).map_or(0, Iterator::count);
        assert_eq!(left, 0, "{left} left in {folder}");
    }
    tally
}

fn pictures_of(party: &Party, pictures: &[Vec<u8>], count: u32, dice: &mut Dice) -> BTreeMap<u16, u32> {
    let mut tally = BTreeMap::new();
    let project = party.project("Broken");
    for n in 0..count {
        let bytes = broken(dice, pictures);
        let answer =
            request(party.address(), "PUT", &format!("/api/projects/{project}/pictures?name=broken"), "", &bytes);
        assert!(matches!(answer.status, 201 | 413 | 422), "{} for picture {n}: {}", answer.status, answer.text());
        *tally.entry(answer.status).or_default() += 1;
    }
    let rows = party.get(&format!("/api/projects/{project}/pictures")).json().as_array().map_or(0, Vec::len);
    let files = std::fs::read_dir(party.media().join("pictures")).map_or(0, Iterator::count);
    assert_eq!(rows, files, "a file for each picture, and none besides");
    tally
}

/// Bits turned over, cut off, or the head of another.
fn broken(dice: &mut Dice, all: &[Vec<u8>]) -> Vec<u8> {
    let mut bytes = all[dice.below(all.len() as u64) as usize].clone();
    let length = bytes.len() as u64;
    match dice.below(3) {
        0 => {
            for _ in 0..1 + dice.below(40) {
                bytes[dice.below(length) as usize] ^= 1 << dice.below(8);
            }
        }
        1 => bytes.truncate(dice.below(length) as usize),
        _ => {
            let other = &all[dice.below(all.len() as u64) as usize];
            let head = (1 + dice.below(200)).min(length).min(other.len() as u64) as usize;
            bytes[..head].copy_from_slice(&other[..head]);
        }
    }
    bytes
}
