//! How much the directory of a ZIP file would take to hold in memory: asked before it is read.

use std::io::Read;

use memchr::memmem::Finder;

use crate::MediaError;

/// Most pictures of one film: an hour and a half at 25 a second.
pub(super) const MOST: usize = 135_000;
/// What each entry of the directory begins with (APPNOTE.TXT 6.3.10, 4.3.12).
const ENTRY: &[u8] = b"PK\x01\x02";
/// Bytes of an entry up to its name; the lengths of name, extra field and comment are at 28, 30 and 32.
const HEAD: usize = 46;
const LENGTHS: [usize; 3] = [28, 30, 32];
/// Most entries: pictures, folders, and what systems put beside them.
const MOST_ENTRIES: u64 = 3 * MOST as u64;
/// Most bytes of names, extra fields and comments.
const MOST_WORDS: u64 = 128 << 20;
const CHUNK: usize = 1 << 20;

/// Refuses a file whose directory would be larger than that of any film. It is looked for in the whole file, because
/// where it begins is only what the file says; in compressed pictures its first bytes stand by chance once in 4 GB.
pub(super) fn check_directory(mut file: impl Read) -> Result<(), MediaError> {
    let finder = Finder::new(ENTRY);
    let (mut entries, mut words) = (0u64, 0u64);
    let mut bytes = Vec::with_capacity(CHUNK + HEAD);
    loop {
        let kept = bytes.len();
        let read = (&mut file).take(CHUNK as u64).read_to_end(&mut bytes);
        read.map_err(MediaError::io("looking through the archive"))?;
        let is_last = bytes.len() == kept;
        // An entry that is cut off here is whole in the next round.
        let whole = if is_last { bytes.len() } else { (bytes.len() + 1).saturating_sub(HEAD) };
        for at in finder.find_iter(&bytes).take_while(|at| *at < whole) {
            let length = |from: usize| match bytes.get(at + from..at + from + 2) {
                Some(two) => u64::from(u16::from_le_bytes([two[0], two[1]])),
                None => 0,
            };
            entries += 1;
            words += LENGTHS.iter().map(|from| length(*from)).sum::<u64>();
        }
        if entries > MOST_ENTRIES || words > MOST_WORDS {
            return Err(MediaError::Limit(format!(
                "This archive has more entries than {MOST} pictures need. Bring the shot in pieces, with nothing else in the archive."
            )));
        }
        if is_last {
            return Ok(());
        }
        bytes.drain(..whole);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn entries(count: usize, name: u16) -> Vec<u8> {
        let mut entry = [0; HEAD];
        entry[..4].copy_from_slice(ENTRY);
        entry[28..30].copy_from_slice(&name.to_le_bytes());
        entry.repeat(count)
    }

    #[test]
    fn a_film_of_pictures_is_let_through_and_a_directory_without_end_is_not() {
        check_directory(&entries(2 * MOST, 60)[..]).unwrap();
        let said = check_directory(&entries(3 * MOST + 1, 0)[..]).unwrap_err().to_string();
        assert!(said.contains("Bring the shot in pieces"), "{said}");
        assert!(check_directory(&entries(3000, u16::MAX)[..]).is_err());
    }

    #[test]
    fn entries_are_counted_once_wherever_a_chunk_ends() {
        // One entry fewer than are too many, at every place about the end of a chunk.
        let all = entries(3 * MOST, 0);
        for shift in [0, 1, HEAD - 1, HEAD, HEAD + 1, CHUNK % HEAD] {
            let shifted = [vec![0; shift], all.clone()].concat();
            check_directory(&shifted[..]).unwrap();
            assert!(check_directory(&[shifted, entries(1, 0)].concat()[..]).is_err(), "{shift}");
        }
    }

    #[test]
    fn what_is_cut_off_is_no_reason_to_fail() {
        check_directory(&entries(1, 9)[..20]).unwrap();
        check_directory(&[][..]).unwrap();
    }
}
