//! Pictures in one file: a ZIP or a tar archive.

use std::fs::File;
use std::io::{BufReader, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};

use super::directory::{MOST, check_directory};
use crate::MediaError;

/// Endings of pictures that are read.
const ENDINGS: [&str; 5] = ["png", "jpg", "jpeg", "tif", "tiff"];
/// Where the word is that says that a file is a tar archive (POSIX.1-1988, ustar).
const USTAR: (u64, &[u8]) = (257, b"ustar");

/// A picture that was taken out.
pub(super) struct Unpacked {
    /// Its name in the archive, with its folders.
    pub name: String,
    /// Where it is now.
    pub path: PathBuf,
}

/// How a file is packed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Packing {
    Zip,
    Tar,
}

impl Packing {
    /// By its first bytes; `None` for anything else.
    pub fn of(path: &Path) -> Result<Option<Self>, MediaError> {
        let mut file = File::open(path).map_err(MediaError::io("opening what came in"))?;
        let is = |file: &mut File, at: u64, word: &[u8]| {
            let mut read = vec![0; word.len()];
            file.seek(SeekFrom::Start(at)).and_then(|_| file.read_exact(&mut read)).is_ok() && read == word
        };
        Ok(if is(&mut file, 0, b"PK\x03\x04") {
            Some(Self::Zip)
        } else {
            is(&mut file, USTAR.0, USTAR.1).then_some(Self::Tar)
        })
    }
}

/// Bytes of what is in an archive, as it says itself. One whose directory would fill the memory is refused.
pub(super) fn unpacked_size(archive: &Path, packing: Packing) -> Result<u64, MediaError> {
    let mut file = File::open(archive).map_err(MediaError::io("opening what came in"))?;
    if packing == Packing::Tar {
        return Ok(file.metadata().map_err(MediaError::io("looking at what came in"))?.len());
    }
    check_directory(&mut file)?;
    let mut zip = zip::ZipArchive::new(BufReader::new(file)).map_err(|error| broken(&error))?;
    let count = zip.len();
    let size = |i: usize| zip.by_index_raw(i).map(|entry| entry.size());
    let sizes: Result<Vec<u64>, _> = (0..count).map(size).collect();
    Ok(sizes.map_err(|error| broken(&error))?.into_iter().fold(0, u64::saturating_add))
}

/// Takes the pictures out into `folder`, under names of our own: at most `limit` bytes of them.
pub(super) fn unpack(archive: &Path, packing: Packing, folder: &Path, limit: u64) -> Result<Vec<Unpacked>, MediaError> {
    let file = BufReader::new(File::open(archive).map_err(MediaError::io("opening what came in"))?);
    let mut unpacking = Unpacking { folder, left: limit, taken: Vec::new() };
    match packing {
        Packing::Zip => {
            let mut zip = zip::ZipArchive::new(file).map_err(|error| broken(&error))?;
            for i in 0..zip.len() {
                let mut entry = zip.by_index(i).map_err(|error| broken(&error))?;
                let name = String::from_utf8_lossy(entry.name_raw()).into_owned();
                let is_file = entry.is_file();
                unpacking.take(&name, is_file, &mut entry)?;
            }
        }
        Packing::Tar => {
            let mut tar = tar::Archive::new(file);
            for entry in tar.entries().map_err(|error| broken(&error))? {
                let mut entry = entry.map_err(|error| broken(&error))?;
                let name = String::from_utf8_lossy(&entry.path_bytes()).into_owned();
                let is_file = entry.header().entry_type().is_file();
                unpacking.take(&name, is_file, &mut entry)?;
            }
        }
    }
    Ok(unpacking.taken)
}

struct Unpacking<'f> {
    folder: &'f Path,
    left: u64,
    taken: Vec<Unpacked>,
}

impl Unpacking<'_> {
    /// Takes a picture out; anything else stays where it is.
    fn take(&mut self, name: &str, is_file: bool, entry: &mut impl Read) -> Result<(), MediaError> {
        let Some(ending) = picture_ending(name).filter(|_| is_file) else { return Ok(()) };
        if self.taken.len() == MOST {
            return Err(MediaError::Limit(format!("There are more than {MOST} pictures. Bring the shot in pieces.")));
        }
        let path = self.folder.join(format!("{}.{ending}", self.taken.len()));
        let mut file = File::create(&path).map_err(MediaError::io("making room for a picture"))?;
        let copied = std::io::copy(&mut entry.take(self.left + 1), &mut file);
        let bytes = copied.map_err(|error| match error.kind() {
            std::io::ErrorKind::InvalidData | std::io::ErrorKind::InvalidInput | std::io::ErrorKind::UnexpectedEof => {
                broken(&error)
            }
            _ => MediaError::io("writing a picture")(error),
        })?;
        self.left = self
            .left
            .checked_sub(bytes)
            .ok_or_else(|| MediaError::BadInput("There is more in this archive than it says. Make it again.".into()))?;
        self.taken.push(Unpacked { name: name.to_owned(), path });
        Ok(())
    }
}

/// The ending of a picture that is read, as we write it; `None` for other files and for what systems put beside them.
fn picture_ending(name: &str) -> Option<&'static str> {
    let file = name.rsplit(['/', '\\']).next()?;
    if file.starts_with('.') || name.starts_with("__MACOSX") {
        return None;
    }
    let (_, ending) = file.rsplit_once('.')?;
    ENDINGS.into_iter().find(|known| ending.eq_ignore_ascii_case(known))
}

fn broken(error: &dyn std::fmt::Display) -> MediaError {
    MediaError::BadInput(format!("This archive is damaged or cut off ({error}). Make it again."))
}
