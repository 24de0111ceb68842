//! Numbered pictures in one ZIP file.

use std::fs::File;
use std::io::{BufReader, BufWriter, Write};
use std::path::{Path, PathBuf};

use jampin_core::time::Frame;
use zip::read::ZipArchive;
use zip::write::{SimpleFileOptions, ZipWriter};

use crate::MediaError;

/// Writes PNG files, one a frame, named by the frame's number.
pub struct NumberedPictures {
    zip: ZipWriter<BufWriter<File>>,
    name: String,
    unfinished: PathBuf,
    out: PathBuf,
}

impl NumberedPictures {
    /// Starts a file. `name` comes before each number.
    pub fn start(out: &Path, name: &str) -> Result<Self, MediaError> {
        let unfinished = out.with_extension("part");
        let file = File::create(&unfinished).map_err(MediaError::io("making room for the pictures"))?;
        let zip = ZipWriter::new(BufWriter::new(file));
        Ok(Self { zip, name: name.to_owned(), unfinished, out: out.to_owned() })
    }

    /// Adds a frame, a finished PNG file.
    pub fn write(&mut self, number: Frame, png: &[u8]) -> Result<(), MediaError> {
        // PNG is compressed already.
        let options = SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
        let started = self.zip.start_file(format!("{} {:05}.png", self.name, number.0), options);
        started
            .map_err(std::io::Error::from)
            .and_then(|()| self.zip.write_all(png))
            .map_err(MediaError::io("writing a picture"))
    }

    /// Ends the file and puts it in its place.
    pub fn finish(self) -> Result<(), MediaError> {
        let ended = self.zip.finish().map_err(std::io::Error::from).and_then(|mut file| file.flush());
        ended
            .and_then(|()| std::fs::rename(&self.unfinished, &self.out))
            .map_err(MediaError::io("putting the pictures in their place"))
    }

    /// Gives up; nothing half-made remains.
    pub fn abandon(self) {
        drop(self.zip);
        let _ = std::fs::remove_file(&self.unfinished);
    }
}

/// Puts files of numbered pictures together in their order; what is in them is taken over as it is.
pub fn join_numbered(pieces: &[PathBuf], out: &Path) -> Result<(), MediaError> {
    let mut joined = NumberedPictures::start(out, "")?;
    let mut add = |piece: &PathBuf| {
        let mut archive = ZipArchive::new(BufReader::new(File::open(piece)?))?;
        (0..archive.len()).try_for_each(|i| joined.zip.raw_copy_file(archive.by_index_raw(i)?))
    };
    match pieces.iter().try_for_each(&mut add) {
        Ok(()) => joined.finish(),
        Err(error) => {
            joined.abandon();
            Err(MediaError::io("joining pictures")(error.into()))
        }
    }
}
