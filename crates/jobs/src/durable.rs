//! Files that a row is going to promise: they are on the disk before it, also when power is lost.

use std::fs::{self, File};
use std::path::Path;

use jampin_media::MediaError;

/// Makes the folder of a file.
pub fn make_room_for(path: &Path) -> Result<(), MediaError> {
    path.parent().map_or(Ok(()), |folder| fs::create_dir_all(folder).map_err(MediaError::io("making room for a file")))
}

/// Moves a finished file to where it belongs: it appears there whole or not at all, and stays.
pub fn put_in_place(from: &Path, to: &Path) -> Result<(), MediaError> {
    make_room_for(to)?;
    File::open(from).and_then(|file| file.sync_all()).map_err(MediaError::io("keeping a file"))?;
    fs::rename(from, to).map_err(MediaError::io("putting a file in its place"))?;
    // The name is in the folder, and the folder's own name in the one above.
    for folder in to.ancestors().skip(1).take(2).filter(|folder| !folder.as_os_str().is_empty()) {
        File::open(folder).and_then(|folder| folder.sync_all()).map_err(MediaError::io("keeping a folder"))?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_moves_into_a_folder_that_was_not_there_and_one_that_is_missing_is_an_error() {
        let dir = tempfile::tempdir().unwrap();
        let (from, to) = (dir.path().join("draft"), dir.path().join("exports/film.mp4"));
        assert!(put_in_place(&from, &to).unwrap_err().to_string().starts_with("keeping a file"));
        fs::write(&from, b"film").unwrap();
        put_in_place(&from, &to).unwrap();
        assert_eq!((fs::read(&to).unwrap(), from.exists()), (b"film".to_vec(), false));
    }
}
