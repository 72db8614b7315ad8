//! Areas in proportion to sizes: a rectangle is cut into pieces that are as near to squares as they can be.
//!
//! After Bruls, Huizing and van Wijk, "Squarified Treemaps" (2000): pieces are put in rows along the shorter side, as long as that
//! makes the row's worst piece no worse.

use crate::page::Rect;

/// Cuts `rect` into pieces for `sizes`, which have to be sorted, largest first. Pieces touch, lie within it, and cover it.
pub(crate) fn pieces(rect: Rect, sizes: &[u64]) -> Vec<Rect> {
    let mut out = Vec::with_capacity(sizes.len());
    let (mut left, mut rest) = (rect, sizes);
    let mut sum: u64 = sizes.iter().sum();
    while !rest.is_empty() {
        if sum == 0 || left.width <= 0 || left.height <= 0 {
            out.extend(rest.iter().map(|_| Rect { width: 0, height: 0, ..left }));
            break;
        }
        let upright = left.width >= left.height;
        let (long, short) = if upright { (left.width, left.height) } else { (left.height, left.width) };
        let area = f64::from(long) * f64::from(short) / sum as f64;
        let count = row_of(rest, area, f64::from(short));
        let row: u64 = rest[..count].iter().sum();
        // The last row takes what is left, so that nothing is lost to rounding.
        let thick = if count == rest.len() { long } else { (row as f64 / sum as f64 * f64::from(long)).round() as i32 };
        let (mut before, mut start) = (0, 0);
        for size in &rest[..count] {
            before += size;
            let end = (before as f64 / row.max(1) as f64 * f64::from(short)).round() as i32;
            out.push(if upright {
                Rect::new(left.x, left.y + start, thick, end - start)
            } else {
                Rect::new(left.x + start, left.y, end - start, thick)
            });
            start = end;
        }
        left = if upright {
            Rect::new(left.x + thick, left.y, left.width - thick, left.height)
        } else {
            Rect::new(left.x, left.y + thick, left.width, left.height - thick)
        };
        sum -= row;
        rest = &rest[count..];
    }
    out
}

/// How many of the next sizes make the best row along a side of this length.
fn row_of(sizes: &[u64], area: f64, side: f64) -> usize {
    let mut best = f64::INFINITY;
    let mut sum = 0.0;
    for (n, size) in sizes.iter().enumerate() {
        sum += *size as f64 * area;
        let (largest, smallest) = (sizes[0] as f64 * area, *size as f64 * area);
        let worst = (side * side * largest / (sum * sum)).max(sum * sum / (side * side * smallest.max(1e-9)));
        if worst > best {
            return n;
        }
        best = worst;
    }
    sizes.len()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pieces_cover_the_whole_and_are_as_large_as_their_sizes() {
        let whole = Rect::new(10, 20, 600, 400);
        for sizes in [vec![6, 6, 4, 3, 2, 2, 1], vec![1], vec![1000, 1, 1, 1], vec![5; 200]] {
            let sum: u64 = sizes.iter().sum();
            let cut = pieces(whole, &sizes);
            let covered: i64 = cut.iter().map(|r| i64::from(r.width) * i64::from(r.height)).sum();
            assert_eq!(covered, 240_000, "{sizes:?}");
            for (size, rect) in sizes.iter().zip(&cut) {
                assert!(rect.x >= 10 && rect.y >= 20 && rect.x + rect.width <= 610 && rect.y + rect.height <= 420);
                let share = f64::from(rect.width * rect.height) / 240_000.0;
                assert!((share - *size as f64 / sum as f64).abs() < 0.02, "{size} of {sum}: {rect:?}");
            }
        }
    }

    #[test]
    fn nothing_and_no_room_are_no_trouble() {
        assert_eq!(pieces(Rect::new(0, 0, 10, 10), &[]), []);
        assert_eq!(pieces(Rect::new(0, 0, 0, 10), &[3, 2]).len(), 2);
        assert_eq!(pieces(Rect::new(0, 0, 10, 10), &[0, 0]).len(), 2);
    }
}
