//! 8-bit planes and rectangular windows of them.

use crate::geometry::{PixelRect, Size};

/// One channel of a picture, 8 bits a pixel, rows from the top, no padding between rows.
///
/// # Guarantees
/// - At least one pixel; exactly `width * height` bytes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Plane {
    size: Size,
    data: Vec<u8>,
}

impl Plane {
    /// A plane over these bytes; `None` when the number of bytes is not `width * height`, or it is 0.
    pub fn new(size: Size, data: Vec<u8>) -> Option<Self> {
        (size.area() > 0 && data.len() == size.area()).then_some(Self { size, data })
    }

    /// A plane filled by a function of column and row.
    ///
    /// # Panics
    /// When the size has no pixel.
    pub fn from_fn(size: Size, mut value: impl FnMut(u32, u32) -> u8) -> Self {
        let data = (0..size.height).flat_map(|row| (0..size.width).map(move |col| (col, row)));
        let data = data.map(|(col, row)| value(col, row)).collect();
        Self::new(size, data).expect("a plane has at least one pixel")
    }

    /// Width and height.
    pub fn size(&self) -> Size {
        self.size
    }

    /// All bytes, row by row.
    pub fn data(&self) -> &[u8] {
        &self.data
    }

    /// One row of pixels.
    ///
    /// # Panics
    /// When `row` is not below the height.
    pub fn row(&self, row: usize) -> &[u8] {
        let width = self.size.width as usize;
        &self.data[row * width..(row + 1) * width]
    }

    /// A copy of the part of the plane in `rect`, which is clamped to the picture first.
    pub fn window(&self, rect: PixelRect) -> Window {
        let rect = rect.clamped_to(self.size);
        let cols = rect.left as usize..rect.right as usize;
        let mut data = Vec::with_capacity(rect.cols() * rect.rows());
        for row in rect.top..rect.bottom {
            data.extend_from_slice(&self.row(row as usize)[cols.clone()]);
        }
        let size = Size::new(rect.cols() as u32, rect.rows() as u32);
        let plane = Self { size, data };
        Window { plane, left: rect.left, top: rect.top }
    }
}

/// A rectangular part of a picture that remembers where it was cut out.
#[derive(Clone, Debug)]
pub struct Window {
    /// The pixels of the part.
    pub plane: Plane,
    /// Column of the picture at which the part starts.
    pub left: i32,
    /// Row of the picture at which the part starts.
    pub top: i32,
}

impl Window {
    /// The part of the window that lies in `rect` (picture coordinates).
    pub fn part(&self, rect: PixelRect) -> Self {
        let own = PixelRect {
            left: rect.left - self.left,
            top: rect.top - self.top,
            right: rect.right - self.left,
            bottom: rect.bottom - self.top,
        };
        let part = self.plane.window(own);
        Self { left: part.left + self.left, top: part.top + self.top, ..part }
    }

    /// The same part at half the size, by means of four. Its columns and rows count in the picture of half the size.
    ///
    /// # Panics
    /// When it does not begin at an even column and row, or has no four pixels.
    pub(crate) fn halved(&self) -> Self {
        assert!(self.left % 2 == 0 && self.top % 2 == 0, "a window is halved from an even corner");
        let size = Size::new(self.plane.size.width / 2, self.plane.size.height / 2);
        let mut data = Vec::with_capacity(size.area());
        for row in 0..size.height as usize {
            let (upper, lower) = (self.plane.row(2 * row), self.plane.row(2 * row + 1));
            let pairs = upper.as_chunks::<2>().0.iter().zip(lower.as_chunks::<2>().0);
            data.extend(pairs.map(|(a, b)| {
                let sum = u16::from(a[0]) + u16::from(a[1]) + u16::from(b[0]) + u16::from(b[1]);
                ((sum + 2) / 4) as u8
            }));
        }
        let plane = Plane::new(size, data).expect("a window that is halved has four pixels");
        Self { plane, left: self.left / 2, top: self.top / 2 }
    }

    /// Copies the rectangle `rect` (picture coordinates) row by row, repeating edge pixels where it reaches beyond
    /// the window, and hands each row to `put`.
    pub(crate) fn rows_of(&self, rect: PixelRect, mut put: impl FnMut(usize, &[u8])) {
        let (width, height) = (self.plane.size.width as i32, self.plane.size.height as i32);
        let (first_col, last_col) = (rect.left - self.left, rect.right - self.left);
        let mut padded = vec![0u8; rect.cols()];
        for row in 0..rect.rows() {
            let source = self.plane.row((rect.top - self.top + row as i32).clamp(0, height - 1) as usize);
            if first_col >= 0 && last_col <= width {
                put(row, &source[first_col as usize..last_col as usize]);
            } else {
                for (i, value) in padded.iter_mut().enumerate() {
                    *value = source[(first_col + i as i32).clamp(0, width - 1) as usize];
                }
                put(row, &padded);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_repeat_the_edge_outside() {
        let plane = Plane::from_fn(Size::new(4, 3), |col, row| (10 * row + col) as u8);
        let window = plane.window(PixelRect { left: 0, top: 0, right: 4, bottom: 3 });
        let mut rows = Vec::new();
        let rect = PixelRect { left: -2, top: 2, right: 3, bottom: 4 };
        window.rows_of(rect, |_, row| rows.push(row.to_vec()));
        assert_eq!(rows, [[20, 20, 20, 21, 22], [20, 20, 20, 21, 22]]);
    }

    #[test]
    fn a_plane_refuses_a_wrong_number_of_bytes() {
        assert!(Plane::new(Size::new(2, 2), vec![0; 3]).is_none());
        assert!(Plane::new(Size::new(0, 2), vec![]).is_none());
        assert!(Plane::new(Size::new(2, 2), vec![0; 4]).is_some());
    }
}
