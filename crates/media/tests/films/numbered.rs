//! Numbered pictures come in as a film, each as it is.

use std::fs::{self, File};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};

use jampin_core::time::{Frame, Rational};
use jampin_media::{ClipFolder, ClipInfo, MediaError, Prepared, Tools, assemble, holds_pictures, picture};
use jampin_testkit::make_film;
use zip::write::{SimpleFileOptions, ZipWriter};

use super::open;

/// A disk with this much room.
type Room = u64;
const PLENTY: Room = 1 << 40;

/// Pictures as ffmpeg writes them, eight of them, from number 101 on.
fn pictures(folder: &Path, ending: &str, pixels: &str) -> Vec<PathBuf> {
    let source = "-f lavfi -i testsrc2=size=320x180:rate=25:duration=1 -frames:v 8 -start_number 101";
    make_film(folder, &format!("yard_%04d.{ending}"), &format!("{source} -pix_fmt {pixels} -f image2"));
    (101..109).map(|n| folder.join(format!("yard_{n:04}.{ending}"))).collect()
}

fn name(picture: &Path) -> String {
    format!("shot/{}", picture.file_name().unwrap().to_string_lossy())
}

fn zipped(pictures: &[PathBuf], to: &Path) {
    let mut zip = ZipWriter::new(File::create(to).unwrap());
    let put = |zip: &mut ZipWriter<File>, name: &str, bytes: &[u8]| {
        zip.start_file(name, SimpleFileOptions::default()).unwrap();
        zip.write_all(bytes).unwrap();
    };
    // As systems put them beside what people pack.
    put(&mut zip, "__MACOSX/shot/._yard_0101.png", b"nothing");
    put(&mut zip, "shot/notes.txt", b"take three");
    for picture in pictures {
        put(&mut zip, &name(picture), &fs::read(picture).unwrap());
    }
    zip.finish().unwrap();
}

fn tarred(pictures: &[PathBuf], to: &Path) {
    let mut tar = tar::Builder::new(File::create(to).unwrap());
    // In any order.
    for picture in pictures.iter().rev() {
        tar.append_path_with_name(picture, name(picture)).unwrap();
    }
    tar.finish().unwrap();
}

fn taken_in(archive: &Path, rate: &str, room: Room) -> Result<(ClipFolder, ClipInfo, Prepared), MediaError> {
    let folder = ClipFolder::new(archive.parent().unwrap().join("clip"));
    fs::create_dir_all(folder.path()).unwrap();
    assert!(holds_pictures(archive)?);
    let has_room = |bytes: u64| if bytes <= room { Ok(()) } else { Err(MediaError::Full) };
    let notes = assemble(&Tools::default(), archive, Rational::rate(rate).unwrap(), &has_room, &folder.original())?;
    assert!(!archive.exists(), "the archive is not kept");
    let (info, prepared) = open(&folder)?;
    Ok((folder, ClipInfo { notes, ..info }, prepared))
}

#[test]
fn pictures_of_every_kind_become_a_film_without_loss() {
    for (ending, pixels, bits, zip) in [
        ("png", "rgb24", 8, true),
        ("png", "rgb48be", 16, false),
        ("tif", "rgb48le", 16, true),
        ("tiff", "gray", 8, false),
        ("jpg", "yuvj420p", 8, true),
    ] {
        let dir = tempfile::tempdir().unwrap();
        let pictures = pictures(dir.path(), ending, pixels);
        let archive = dir.path().join("archive");
        if zip {
            zipped(&pictures, &archive)
        } else {
            tarred(&pictures, &archive)
        }
        let (folder, info, prepared) = taken_in(&archive, "23.976", PLENTY).unwrap();
        assert_eq!((prepared.table.len(), info.bits), (8, bits), "{ending} {pixels}");
        assert_eq!(info.rate, Rational { num: 24000, den: 1001 });
        let seconds = prepared.table.times[7] as f64 * prepared.table.time_base.as_f64();
        assert!((seconds - 7.0 * 1001.0 / 24000.0).abs() < 1e-6, "{ending}: {seconds}");
        assert_eq!(info.notes, ["Frame 0 is picture 101."]);
        // The file holds what each picture held.
        let film = bytes(&folder.original());
        for picture in &pictures {
            let own = bytes(picture);
            assert!(film.windows(own.len()).any(|part| part == own), "{ending}: {picture:?}");
        }
        let shown = picture(&Tools::default(), &folder.original(), &info, &prepared.table, Frame(3)).unwrap();
        assert!(!shown.is_empty());
    }
}

fn bytes(path: &Path) -> Vec<u8> {
    let mut bytes = Vec::new();
    File::open(path).unwrap().read_to_end(&mut bytes).unwrap();
    bytes
}

#[test]
fn a_missing_picture_is_said_and_the_one_before_stands_in() {
    let dir = tempfile::tempdir().unwrap();
    let mut pictures = pictures(dir.path(), "png", "rgb24");
    pictures.drain(2..4);
    let archive = dir.path().join("archive");
    zipped(&pictures, &archive);
    let (folder, info, prepared) = taken_in(&archive, "25", PLENTY).unwrap();
    assert_eq!(prepared.table.len(), 8);
    assert_eq!(info.remarks()[1], "Missing pictures: 103 to 104. The one before is shown in their place.");
    let shown = |n| bytes(&folder.preview(Frame(n)));
    assert!(shown(1) == shown(2) && shown(1) == shown(3) && shown(3) != shown(4));
}

#[test]
fn what_makes_no_film_is_refused_and_nothing_remains() {
    let dir = tempfile::tempdir().unwrap();
    let good = pictures(dir.path(), "png", "rgb24");
    let archive = dir.path().join("archive");
    let refusal = |pictures: &[PathBuf], room| {
        zipped(pictures, &archive);
        let error = taken_in(&archive, "25", room).unwrap_err();
        let _ = fs::remove_file(&archive);
        for left in ["archive.loose", "archive.ordered"] {
            assert!(!dir.path().join(left).exists(), "{left}");
        }
        error.to_string()
    };
    assert!(refusal(&good[..1], PLENTY).contains("at least two"));
    assert!(refusal(&[], PLENTY).contains("no PNG, JPEG or TIFF"));
    assert!(refusal(&good, 1000).contains("disk of the server is full"));
    let small = make_film(dir.path(), "yard_0109.png", "-f lavfi -i testsrc2=size=64x64 -frames:v 1 -f image2");
    assert!(refusal(&[&good[..], &[small]].concat(), PLENTY).contains("“shot/yard_0109.png” is a PNG of 64 x 64"));
    fs::write(dir.path().join("yard_0110.png"), b"no picture at all").unwrap();
    let torn = [good[0].clone(), dir.path().join("yard_0110.png")];
    assert!(refusal(&torn, PLENTY).contains("cannot be read as a PNG"));
    // Cut off in the middle.
    zipped(&good, &archive);
    let whole = bytes(&archive);
    fs::write(&archive, &whole[..whole.len() / 2]).unwrap();
    let error = taken_in(&archive, "25", PLENTY).unwrap_err();
    assert!(error.to_string().contains("damaged or cut off"), "{error}");
}
