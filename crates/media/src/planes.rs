//! Full-size planes at rest, luma and, where a pin wants them, red, green and blue: one file a frame and plane, cut
//! into tiles that are read one by one, so that what a pin costs does not grow with the picture. A cache: made from the
//! clip, dropped when unused, made again.
//!
//! File: 8 bytes of magic, width and height as `u32`, one `u32` a tile for where it ends (counted from the end of this
//! table), then the tiles, row by row of tiles. A tile is lz4 compressed, or, when that hardly saves anything, stored
//! as it is.
//! All numbers little-endian.

use std::fs::{self, File};
use std::io::ErrorKind;
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use jampin_core::geometry::{PixelRect, Size};
use jampin_core::image::{Chroma, Component, FrameSource, Plane, Scene, SceneFinder, Window};
use jampin_core::time::Frame;

use crate::{Cancel, MediaError};

/// Columns of a tile. Wide and low: rows lie together in memory.
pub const TILE_COLS: usize = 256;
/// Rows of a tile. 16 KB a tile: a pin's neighbourhood takes four to ten of them.
pub const TILE_ROWS: usize = 64;
const MAGIC: &[u8; 8] = b"jamplan1";
const HEADER: usize = 16;
/// How often a reader looks for a frame that is still being made.
const POLL: Duration = Duration::from_millis(5);

/// The folder of a clip's planes.
#[derive(Clone, Debug)]
pub struct PlaneFolder(PathBuf);

impl PlaneFolder {
    /// The folder at this path; it need not exist yet.
    pub fn new(path: PathBuf) -> Self {
        Self(path)
    }

    fn file(&self, frame: Frame) -> PathBuf {
        self.0.join(format!("{:06}.plane", frame.0))
    }

    /// The folders of red, green and blue of R'G'B'.
    pub fn colour(&self) -> [Self; 3] {
        ["red", "green", "blue"].map(|name| Self(self.0.join(name)))
    }

    /// The folder of blue and red difference, one above the other.
    pub fn chroma(&self) -> Self {
        Self(self.0.join("chroma"))
    }

    /// Whether the plane of a frame is there.
    pub fn has(&self, frame: Frame) -> bool {
        self.file(frame).exists()
    }

    /// Makes the folder.
    pub fn create(&self) -> Result<(), MediaError> {
        fs::create_dir_all(&self.0).map_err(MediaError::io("making room for planes"))
    }

    /// Says to whoever waits for planes that they will not come, and why.
    pub fn will_not_come(&self, why: &str) {
        let (told, unfinished) = (self.told(), self.0.with_extension("telling"));
        // Where it cannot be said they wait until their patience is over. It is there whole or not at all: who waits
        // looks every few milliseconds.
        let _ = fs::write(&unfinished, why).and_then(|()| fs::rename(&unfinished, told));
    }

    /// They may come after all.
    pub fn may_come(&self) {
        let _ = fs::remove_file(self.told());
    }

    fn told(&self) -> PathBuf {
        self.0.with_extension("told")
    }

    /// Drops all planes. They can be made again from the clip.
    pub fn clear(&self) -> Result<(), MediaError> {
        match fs::remove_dir_all(&self.0) {
            Err(error) if error.kind() != ErrorKind::NotFound => {
                Err(MediaError::Io { context: "dropping planes".into(), source: error })
            }
            _ => Ok(()),
        }
    }

    /// Writes the plane of a frame; it appears whole or not at all.
    pub fn write(&self, frame: Frame, plane: &Plane) -> Result<(), MediaError> {
        let bytes = encode(plane);
        let path = self.file(frame);
        let unfinished = path.with_extension("part");
        fs::write(&unfinished, bytes).map_err(MediaError::io("writing a plane"))?;
        fs::rename(&unfinished, &path).map_err(MediaError::io("writing a plane"))
    }
}

fn tile_rects(size: Size) -> impl Iterator<Item = PixelRect> {
    let (width, height) = (size.width as usize, size.height as usize);
    (0..height).step_by(TILE_ROWS).flat_map(move |top| {
        (0..width).step_by(TILE_COLS).map(move |left| PixelRect {
            left: left as i32,
            top: top as i32,
            right: (left + TILE_COLS).min(width) as i32,
            bottom: (top + TILE_ROWS).min(height) as i32,
        })
    })
}

fn read_tile(plane: &Plane, rect: PixelRect, raw: &mut Vec<u8>) {
    for row in rect.top..rect.bottom {
        raw.extend_from_slice(&plane.row(row as usize)[rect.left as usize..rect.right as usize]);
    }
}

/// Whether lz4 saves enough to be worth its time: tried on every eighth tile. Grainy film hardly shrinks, and stored as
/// it is it takes a quarter of the time to write and a fifth to read (docs/decisions.md).
fn is_worth_packing(plane: &Plane, rects: &[PixelRect], packed: &mut [u8]) -> bool {
    let (mut before, mut after, mut raw) = (0, 0, Vec::new());
    for rect in rects.iter().skip(rects.len() / 2 % 8).step_by(8) {
        raw.clear();
        read_tile(plane, *rect, &mut raw);
        before += raw.len();
        after += lz4_flex::block::compress_into(&raw, packed).unwrap_or(raw.len());
    }
    after * 8 < before * 5
}

fn encode(plane: &Plane) -> Vec<u8> {
    let size = plane.size();
    let rects: Vec<PixelRect> = tile_rects(size).collect();
    let mut out = Vec::with_capacity(HEADER + rects.len() * 4 + size.area());
    out.extend_from_slice(MAGIC);
    out.extend_from_slice(&size.width.to_le_bytes());
    out.extend_from_slice(&size.height.to_le_bytes());
    out.resize(HEADER + rects.len() * 4, 0);
    let data_start = out.len();
    let mut packed = vec![0; lz4_flex::block::get_maximum_output_size(TILE_COLS * TILE_ROWS)];
    let mut raw = Vec::with_capacity(TILE_COLS * TILE_ROWS);
    let is_worth_packing = is_worth_packing(plane, &rects, &mut packed);
    for (i, rect) in rects.iter().enumerate() {
        raw.clear();
        read_tile(plane, *rect, &mut raw);
        let length = is_worth_packing.then(|| lz4_flex::block::compress_into(&raw, &mut packed));
        match length {
            Some(Ok(length)) if length < raw.len() => out.extend_from_slice(&packed[..length]),
            _ => out.extend_from_slice(&raw),
        }
        let end = ((out.len() - data_start) as u32).to_le_bytes();
        out[HEADER + i * 4..HEADER + i * 4 + 4].copy_from_slice(&end);
    }
    out
}

/// Waiting for planes that are still being made.
#[derive(Clone, Debug)]
pub struct WhenMissing {
    /// Give up when nothing came for this long.
    pub wait: Duration,
    /// Give up at once when this says so.
    pub cancel: Cancel,
}

impl WhenMissing {
    /// A missing plane is an error at once.
    pub fn fail() -> Self {
        Self { wait: Duration::ZERO, cancel: Cancel::default() }
    }
}

/// Reads windows of stored planes.
#[derive(Debug)]
pub struct StoredPlanes {
    /// Luma, red, green, blue, colour differences.
    folders: [PlaneFolder; 5],
    size: Size,
    when_missing: WhenMissing,
    open: [Option<OpenPlane>; 5],
}

const LUMA: usize = 0;
const RGB: [usize; 3] = [1, 2, 3];
const CHROMA: usize = 4;

#[derive(Debug)]
struct OpenPlane {
    frame: Frame,
    file: File,
    ends: Vec<u32>,
    data_start: u64,
}

impl StoredPlanes {
    /// Over the planes of a clip whose picture has this size.
    pub fn new(folder: PlaneFolder, size: Size, when_missing: WhenMissing) -> Self {
        let [red, green, blue] = folder.colour();
        let chroma = folder.chroma();
        Self { folders: [folder, red, green, blue, chroma], size, when_missing, open: [const { None }; 5] }
    }

    /// The same planes for another thread.
    pub fn another(&self) -> Self {
        let Self { folders, size, when_missing, .. } = self;
        Self { folders: folders.clone(), size: *size, when_missing: when_missing.clone(), open: [const { None }; 5] }
    }

    /// The film as a whole, looked at once more: for clips that were prepared before it was kept.
    pub fn scene(&mut self, frames: u32) -> Result<Scene, MediaError> {
        let Size { width, height } = self.size;
        let whole = PixelRect { left: 0, top: 0, right: width as i32, bottom: height as i32 };
        let mut finder = SceneFinder::default();
        let chroma = size_of(CHROMA, self.size);
        let both = PixelRect { left: 0, top: 0, right: chroma.width as i32, bottom: chroma.height as i32 };
        for frame in (0..frames).map(Frame) {
            finder.push(&self.read(LUMA, frame, whole)?.plane);
            if self.folders[CHROMA].has(frame) {
                finder.push_chroma(&self.read(CHROMA, frame, both)?.plane);
            }
        }
        Ok(finder.finish())
    }

    fn open(&mut self, which: usize, frame: Frame) -> Result<&OpenPlane, MediaError> {
        if self.open[which].as_ref().is_none_or(|open| open.frame != frame) {
            let file = self.wait_for(which, frame)?;
            self.open[which] = Some(OpenPlane::read(frame, file, size_of(which, self.size))?);
        }
        Ok(self.open[which].as_ref().expect("just opened"))
    }

    fn wait_for(&self, which: usize, frame: Frame) -> Result<File, MediaError> {
        let path = self.folders[which].file(frame);
        let begun = Instant::now();
        loop {
            match File::open(&path) {
                Ok(file) => return Ok(file),
                Err(error) if error.kind() == ErrorKind::NotFound && begun.elapsed() < self.when_missing.wait => {
                    if self.when_missing.cancel.is_cancelled() {
                        return Err(MediaError::Cancelled);
                    }
                    if let Ok(why) = fs::read_to_string(self.folders[LUMA].told()) {
                        return Err(MediaError::BadInput(why));
                    }
                    std::thread::sleep(POLL);
                }
                Err(error) => {
                    return Err(MediaError::Io {
                        context: format!("opening the plane of frame {frame}"),
                        source: error,
                    });
                }
            }
        }
    }
}

/// Size of a plane of a picture.
fn size_of(which: usize, picture: Size) -> Size {
    if which != CHROMA {
        return picture;
    }
    let Size { width, height } = Chroma::size_of(picture);
    Size::new(width, 2 * height)
}

fn damaged(path: &str) -> MediaError {
    MediaError::Limit(format!("{path} is damaged; it will be made again from the clip"))
}

impl OpenPlane {
    fn read(frame: Frame, file: File, size: Size) -> Result<Self, MediaError> {
        let tiles = tile_rects(size).count();
        let mut head = vec![0; HEADER + tiles * 4];
        file.read_exact_at(&mut head, 0).map_err(MediaError::io(format!("reading the plane of frame {frame}")))?;
        let number = |at: usize| u32::from_le_bytes([head[at], head[at + 1], head[at + 2], head[at + 3]]);
        if &head[..8] != MAGIC || number(8) != size.width || number(12) != size.height {
            return Err(damaged(&format!("The plane of frame {frame}")));
        }
        let ends = (0..tiles).map(|i| number(HEADER + i * 4)).collect();
        Ok(Self { frame, file, ends, data_start: head.len() as u64 })
    }

    fn tile(&self, index: usize, raw: &mut [u8]) -> Result<(), MediaError> {
        let start = if index == 0 { 0 } else { self.ends[index - 1] };
        let length = self.ends[index].saturating_sub(start) as usize;
        let at = self.data_start + u64::from(start);
        if length == raw.len() {
            return self.file.read_exact_at(raw, at).map_err(MediaError::io("reading a plane"));
        }
        if length > raw.len() {
            return Err(damaged(&format!("The plane of frame {}", self.frame)));
        }
        let mut packed = vec![0; length];
        self.file.read_exact_at(&mut packed, at).map_err(MediaError::io("reading a plane"))?;
        let unpacked = lz4_flex::block::decompress_into(&packed, raw);
        let whole = unpacked.is_ok_and(|count| count == raw.len());
        whole.then_some(()).ok_or_else(|| damaged(&format!("The plane of frame {}", self.frame)))
    }
}

impl FrameSource for StoredPlanes {
    type Error = MediaError;

    fn size(&self) -> Size {
        self.size
    }

    fn window(&mut self, frame: Frame, rect: PixelRect, component: Component) -> Result<Window, MediaError> {
        match component {
            Component::Luma => self.read(LUMA, frame, rect),
            Component::Red => self.read(RGB[0], frame, rect),
            Component::Green => self.read(RGB[1], frame, rect),
            Component::Blue => self.read(RGB[2], frame, rect),
            Component::Saturation => {
                let parts = RGB.map(|which| self.read(which, frame, rect));
                let [red, green, blue] = parts;
                let (red, green, blue) = (red?, green?, blue?);
                let at = |window: &Window, col: u32, row: u32| window.plane.row(row as usize)[col as usize];
                let plane = Plane::from_fn(red.plane.size(), |col, row| {
                    component.of_rgb([&red, &green, &blue].map(|window| at(window, col, row)), 0)
                });
                Ok(Window { plane, ..red })
            }
        }
    }

    fn chroma(&mut self, frame: Frame, rect: PixelRect) -> Result<Option<Chroma>, MediaError> {
        // Planes that were made before there were any have none.
        let is_open = self.open[CHROMA].as_ref().is_some_and(|open| open.frame == frame);
        if !is_open && !self.folders[CHROMA].has(frame) {
            return Ok(None);
        }
        let (step, Size { width, height }) = (Chroma::step_of(self.size) as i32, Chroma::size_of(self.size));
        let (last_col, last_row) = (width as i32 - 1, height as i32 - 1);
        let (left, top) = ((rect.left / step).clamp(0, last_col), (rect.top / step).clamp(0, last_row));
        let right = (rect.right / step + 1).clamp(left + 1, last_col + 1);
        let bottom = (rect.bottom / step + 1).clamp(top + 1, last_row + 1);
        let below = height as i32;
        let blue = self.read(CHROMA, frame, PixelRect { left, top, right, bottom })?;
        let red = self.read(CHROMA, frame, PixelRect { left, top: top + below, right, bottom: bottom + below })?;
        Ok(Some(Chroma { step: step as u32, blue, red: Window { top, ..red } }))
    }
}

impl StoredPlanes {
    fn read(&mut self, which: usize, frame: Frame, rect: PixelRect) -> Result<Window, MediaError> {
        let size = size_of(which, self.size);
        let rect = rect.clamped_to(size);
        let open = self.open(which, frame)?;
        let (cols, rows) = (rect.cols(), rect.rows());
        let mut data = vec![0; cols * rows];
        let mut raw = vec![0; TILE_COLS * TILE_ROWS];
        for (index, tile) in tiles_under(rect, size) {
            let (left, right) = (rect.left.max(tile.left), rect.right.min(tile.right));
            let (top, bottom) = (rect.top.max(tile.top), rect.bottom.min(tile.bottom));
            let raw = &mut raw[..tile.cols() * tile.rows()];
            open.tile(index, raw)?;
            let count = (right - left) as usize;
            for row in top..bottom {
                let from = (row - tile.top) as usize * tile.cols() + (left - tile.left) as usize;
                let to = (row - rect.top) as usize * cols + (left - rect.left) as usize;
                data[to..to + count].copy_from_slice(&raw[from..from + count]);
            }
        }
        let plane = Plane::new(Size::new(cols as u32, rows as u32), data).expect("a clamped window has pixels");
        Ok(Window { plane, left: rect.left, top: rect.top })
    }
}

/// The tiles that a rectangle inside the picture touches, with their numbers.
fn tiles_under(rect: PixelRect, size: Size) -> impl Iterator<Item = (usize, PixelRect)> {
    let (width, height) = (size.width as usize, size.height as usize);
    let across = width.div_ceil(TILE_COLS);
    let cols = rect.left as usize / TILE_COLS..(rect.right as usize).div_ceil(TILE_COLS);
    let rows = rect.top as usize / TILE_ROWS..(rect.bottom as usize).div_ceil(TILE_ROWS);
    rows.flat_map(move |row| cols.clone().map(move |col| (row, col))).map(move |(row, col)| {
        let tile = PixelRect {
            left: (col * TILE_COLS) as i32,
            top: (row * TILE_ROWS) as i32,
            right: ((col + 1) * TILE_COLS).min(width) as i32,
            bottom: ((row + 1) * TILE_ROWS).min(height) as i32,
        };
        (row * across + col, tile)
    })
}

/// Bytes of all planes below a folder.
pub(crate) fn bytes_below(path: &Path) -> u64 {
    let Ok(entries) = fs::read_dir(path) else { return 0 };
    let size = |entry: fs::DirEntry| match entry.metadata() {
        Ok(meta) if meta.is_dir() => bytes_below(&entry.path()),
        Ok(meta) => meta.len(),
        Err(_) => 0,
    };
    entries.flatten().map(size).sum()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn plane(size: Size, noisy: bool) -> Plane {
        let mut state = 7u32;
        Plane::from_fn(size, |col, row| {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            let noise = if noisy { (state >> 24) as u8 } else { 0 };
            (col / 3 + row / 2) as u8 ^ noise
        })
    }

    #[test]
    fn every_window_comes_back_as_it_was() {
        let dir = tempfile::tempdir().unwrap();
        let folder = PlaneFolder::new(dir.path().join("planes"));
        folder.create().unwrap();
        let size = Size::new(853, 481);
        for (n, noisy) in [(0, false), (1, true)] {
            let plane = plane(size, noisy);
            folder.write(Frame(n), &plane).unwrap();
            let mut stored = StoredPlanes::new(folder.clone(), size, WhenMissing::fail());
            for (left, top, right, bottom) in
                [(0, 0, 853, 481), (250, 60, 270, 70), (-5, 470, 20, 500), (840, -9, 900, 3)]
            {
                let rect = PixelRect { left, top, right, bottom };
                let got = stored.window(Frame(n), rect, Component::Luma).unwrap();
                let want = plane.window(rect);
                assert_eq!((got.left, got.top), (want.left, want.top));
                assert_eq!(got.plane, want.plane, "{rect:?} noisy {noisy}");
            }
        }
    }

    #[test]
    fn why_planes_will_not_come_is_said_whole_or_not_at_all() {
        let dir = tempfile::tempdir().unwrap();
        let folder = PlaneFolder::new(dir.path().join("planes"));
        let rect = PixelRect { left: 0, top: 0, right: 8, bottom: 8 };
        let when_missing = WhenMissing { wait: Duration::from_secs(60), cancel: Cancel::default() };
        let waiting = StoredPlanes::new(folder.clone(), Size::new(64, 64), when_missing);
        let done = std::sync::atomic::AtomicBool::new(false);
        let why = "The film could not be read again.";
        std::thread::scope(|scope| {
            scope.spawn(|| {
                while !done.load(std::sync::atomic::Ordering::Relaxed) {
                    folder.will_not_come(why);
                    folder.may_come();
                }
            });
            let told: std::collections::BTreeSet<String> = (0..300)
                .map(|_| waiting.another().window(Frame(0), rect, Component::Luma).unwrap_err().to_string())
                .collect();
            done.store(true, std::sync::atomic::Ordering::Relaxed);
            assert_eq!(told.into_iter().collect::<Vec<_>>(), [why]);
        });
    }

    #[test]
    fn missing_and_damaged_planes_are_errors() {
        let dir = tempfile::tempdir().unwrap();
        let folder = PlaneFolder::new(dir.path().to_owned());
        let size = Size::new(64, 64);
        let rect = PixelRect { left: 0, top: 0, right: 8, bottom: 8 };
        let mut stored = StoredPlanes::new(folder.clone(), size, WhenMissing::fail());
        assert!(stored.window(Frame(0), rect, Component::Luma).is_err());
        folder.write(Frame(0), &plane(size, false)).unwrap();
        let path = folder.file(Frame(0));
        let mut bytes = fs::read(&path).unwrap();
        bytes[8] = 65;
        fs::write(&path, &bytes).unwrap();
        assert!(stored.window(Frame(0), rect, Component::Luma).unwrap_err().to_string().contains("damaged"));
        bytes[8] = 64;
        bytes.truncate(40);
        fs::write(&path, &bytes).unwrap();
        assert!(stored.window(Frame(0), rect, Component::Luma).is_err());
    }
}
