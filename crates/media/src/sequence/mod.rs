//! Numbered pictures become a film: each is kept as it is, byte for byte, in a QuickTime file.

mod archive;
mod directory;
mod numbers;

use std::path::{Path, PathBuf};

use imagesize::ImageType;
use jampin_core::time::Rational;

use crate::child::{Watch, with_progress};
use crate::tools::Tools;
use crate::{Cancel, MediaError};
use archive::{Packing, Unpacked, unpack, unpacked_size};
use numbers::Order;

/// Whether a file is one of those that numbered pictures come in: a ZIP or a tar archive.
pub fn holds_pictures(path: &Path) -> Result<bool, MediaError> {
    Ok(Packing::of(path)?.is_some())
}

/// Makes a film of the numbered pictures in an archive, `rate` of them a second. The archive is removed on the way, so
/// that they need room only twice: `room` is asked for all of it, as much as the archive says that there is.
///
/// Answers with what a person should know of them, in sentences.
pub fn assemble(
    tools: &Tools,
    archive: &Path,
    rate: Rational,
    room: &dyn Fn(u64) -> Result<(), MediaError>,
    film: &Path,
) -> Result<Vec<String>, MediaError> {
    let packing =
        Packing::of(archive)?.ok_or_else(|| MediaError::BadInput("This is no ZIP and no tar file.".into()))?;
    let size = unpacked_size(archive, packing)?;
    // Beside the pictures the film is written, as large as they are.
    room(size.saturating_mul(2))?;
    let (loose, ordered) = (archive.with_extension("loose"), archive.with_extension("ordered"));
    for folder in [&loose, &ordered] {
        std::fs::create_dir_all(folder).map_err(MediaError::io("making room for pictures"))?;
    }
    let made = unpack(archive, packing, &loose, size).and_then(|pictures| {
        std::fs::remove_file(archive).map_err(MediaError::io("removing the archive"))?;
        let kind = same_kind(&pictures)?;
        let order = Order::of(&pictures.iter().map(|picture| picture.name.clone()).collect::<Vec<_>>())?;
        put_in_order(&pictures, &order, kind, &ordered)?;
        join_pictures(tools, &ordered, kind, rate, film)?;
        Ok(order.remarks())
    });
    for folder in [&loose, &ordered] {
        let _ = std::fs::remove_dir_all(folder);
    }
    made
}

/// What all pictures are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Kind {
    /// As ffmpeg calls the decoder, and as we end the names.
    codec: &'static str,
    size: (usize, usize),
}

fn kind_of(picture: &Unpacked) -> Result<Kind, MediaError> {
    let name = &picture.name;
    let bad =
        || MediaError::BadInput(format!("“{name}” cannot be read as a PNG, JPEG or TIFF picture. Save it again."));
    let size = imagesize::size(&picture.path).map_err(|_| bad())?;
    let start = read_start(&picture.path)?;
    let codec = match imagesize::image_type(&start) {
        Ok(ImageType::Png) => "png",
        Ok(ImageType::Jpeg) => "mjpeg",
        Ok(ImageType::Tiff) => "tiff",
        _ => return Err(bad()),
    };
    Ok(Kind { codec, size: (size.width, size.height) })
}

fn read_start(path: &Path) -> Result<[u8; 16], MediaError> {
    use std::io::Read;
    let mut start = [0; 16];
    let read = std::fs::File::open(path).and_then(|file| file.take(16).read(&mut start));
    read.map_err(MediaError::io("reading a picture"))?;
    Ok(start)
}

/// All of one film are of one kind and size.
fn same_kind(pictures: &[Unpacked]) -> Result<Kind, MediaError> {
    let none = || MediaError::BadInput("There are no PNG, JPEG or TIFF pictures in this archive.".into());
    let first = pictures.first().ok_or_else(none)?;
    let kind = kind_of(first)?;
    for picture in &pictures[1..] {
        let other = kind_of(picture)?;
        if other != kind {
            let said = |name: &str, Kind { codec, size: (width, height) }: Kind| {
                let codec = if codec == "mjpeg" { "JPEG".into() } else { codec.to_uppercase() };
                format!("“{name}” is a {codec} of {width} x {height}")
            };
            return Err(MediaError::BadInput(format!(
                "The pictures of a film are of one kind and size: {}, {}. Make them alike, or bring each shot by itself.",
                said(&first.name, kind),
                said(&picture.name, other)
            )));
        }
    }
    Ok(kind)
}

/// Gives each frame's picture a name that counts from 0; one that stands in for missing ones has several.
fn put_in_order(pictures: &[Unpacked], order: &Order, kind: Kind, folder: &Path) -> Result<(), MediaError> {
    for (frame, which) in order.frames.iter().enumerate() {
        std::fs::hard_link(&pictures[*which].path, folder.join(name(frame, kind)))
            .map_err(MediaError::io("putting pictures in order"))?;
    }
    Ok(())
}

fn name(frame: usize, kind: Kind) -> String {
    format!("{frame:06}.{}", kind.codec)
}

fn join_pictures(tools: &Tools, folder: &Path, kind: Kind, rate: Rational, film: &Path) -> Result<(), MediaError> {
    let mut command = tools.ffmpeg();
    command.args(["-loglevel", "error", "-framerate", &format!("{}/{}", rate.num, rate.den)]);
    let names: PathBuf = folder.join(format!("%06d.{}", kind.codec));
    command.numbered_pictures(folder, &names, kind.codec);
    command.args(["-c", "copy", "-progress", "pipe:1", "-f", "mov"]).writes(film);
    let watch = Watch { quiet: tools.limits.quiet, cancel: Cancel::default() };
    with_progress(command, watch, &mut |_| {})
}

#[cfg(test)]
mod tests {
    use jampin_testkit::{Dice, changed_bytes, inputs, make_film};

    use super::*;

    #[test]
    fn no_head_of_a_picture_makes_it_panic() {
        let dir = tempfile::tempdir().unwrap();
        let mut dice = Dice(9);
        for ending in ["png", "jpg", "tif"] {
            let name = format!("good.{ending}");
            let good = make_film(dir.path(), &name, "-f lavfi -i testsrc2=size=48x32 -frames:v 1 -update 1 -f image2");
            let good = std::fs::read(good).unwrap();
            let path = dir.path().join(format!("changed.{ending}"));
            let mut refused = 0;
            for _ in 0..inputs(200) {
                std::fs::write(&path, changed_bytes(&mut dice, &good)).unwrap();
                refused += u32::from(kind_of(&Unpacked { name: name.clone(), path: path.clone() }).is_err());
            }
            assert!(refused > 0, "{ending}: what was changed is seen");
        }
    }
}
