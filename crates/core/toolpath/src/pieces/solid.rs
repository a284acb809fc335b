//! The body of a piece, as a slicer takes it: upright prisms, and their STL.

use std::io::{self, Write};

/// An upright prism: an outline, with a hole in it maybe, from one height to another [mm].
#[derive(Clone, Debug, PartialEq)]
pub struct Prism {
    /// Corners of its outline, anticlockwise; convex [mm].
    pub outline: Vec<[f64; 2]>,
    /// Corners of a hole with as many corners, each inside the outline's of the same number [mm].
    pub hole: Option<Vec<[f64; 2]>>,
    /// Where it begins and ends [mm].
    pub z_mm: [f64; 2],
}

/// A triangle with its corners anticlockwise from outside [mm].
pub type Triangle = [[f64; 3]; 3];

impl Prism {
    /// A box between two corners [mm].
    #[must_use]
    pub fn cuboid(from: [f64; 2], to: [f64; 2], z_mm: [f64; 2]) -> Self {
        Self {
            outline: vec![from, [to[0], from[1]], to, [from[0], to[1]]],
            hole: None,
            z_mm,
        }
    }

    /// A box that is open above and below, its walls `wall_mm` thick.
    #[must_use]
    pub fn frame(from: [f64; 2], to: [f64; 2], wall_mm: f64, z_mm: [f64; 2]) -> Self {
        let mut frame = Self::cuboid(from, to, z_mm);
        let inner = Self::cuboid(
            [from[0] + wall_mm, from[1] + wall_mm],
            [to[0] - wall_mm, to[1] - wall_mm],
            z_mm,
        );
        frame.hole = Some(inner.outline);
        frame
    }

    /// Its volume [mm³].
    #[must_use]
    pub fn volume_mm3(&self) -> f64 {
        let area = |p: &[[f64; 2]]| {
            let n = p.len();
            0.5 * (0..n)
                .map(|i| p[i][0] * p[(i + 1) % n][1] - p[(i + 1) % n][0] * p[i][1])
                .sum::<f64>()
        };
        let hole = self.hole.as_deref().map_or(0.0, area);
        (area(&self.outline) - hole) * (self.z_mm[1] - self.z_mm[0])
    }

    /// Its surface.
    #[must_use]
    pub fn triangles(&self) -> Vec<Triangle> {
        let [low, high] = self.z_mm;
        let n = self.outline.len();
        let at = |p: [f64; 2], z: f64| [p[0], p[1], z];
        let mut out = Vec::new();
        let mut quad = |a, b, c, d| {
            out.push([a, b, c]);
            out.push([a, c, d]);
        };
        for i in 0..n {
            let (a, b) = (self.outline[i], self.outline[(i + 1) % n]);
            quad(at(a, low), at(b, low), at(b, high), at(a, high));
            if let Some(hole) = &self.hole {
                let (c, d) = (hole[i], hole[(i + 1) % n]);
                // The wall of the hole looks inward; above and below lie the bands between both.
                quad(at(d, low), at(c, low), at(c, high), at(d, high));
                quad(at(a, high), at(b, high), at(d, high), at(c, high));
                quad(at(b, low), at(a, low), at(c, low), at(d, low));
            }
        }
        if self.hole.is_none() {
            for i in 1..n - 1 {
                let (a, b, c) = (self.outline[0], self.outline[i], self.outline[i + 1]);
                out.push([at(a, high), at(b, high), at(c, high)]);
                out.push([at(a, low), at(c, low), at(b, low)]);
            }
        }
        out
    }
}

/// Writes a body as binary STL: eighty bytes of a heading, the number of triangles, and each with its normal; all
/// numbers in 32 bits, little end first [common practice, from memory].
/// # Errors
/// Of the writer.
pub fn write_stl(body: &[Prism], mut to: impl Write) -> io::Result<()> {
    let all: Vec<Triangle> = body.iter().flat_map(Prism::triangles).collect();
    let mut heading = [b' '; 80];
    heading[..10].copy_from_slice(b"test piece");
    to.write_all(&heading)?;
    let count = u32::try_from(all.len()).map_err(io::Error::other)?;
    to.write_all(&count.to_le_bytes())?;
    for [a, b, c] in all {
        let (u, v) = (minus(b, a), minus(c, a));
        let n = [
            u[1] * v[2] - u[2] * v[1],
            u[2] * v[0] - u[0] * v[2],
            u[0] * v[1] - u[1] * v[0],
        ];
        let length = n.iter().map(|x| x * x).sum::<f64>().sqrt().max(1e-30);
        for corner in [n.map(|x| x / length), a, b, c] {
            for x in corner {
                // OK because STL holds numbers of 32 bits.
                #[allow(clippy::cast_possible_truncation)]
                let x = x as f32;
                to.write_all(&x.to_le_bytes())?;
            }
        }
        to.write_all(&[0, 0])?;
    }
    Ok(())
}

fn minus(a: [f64; 3], b: [f64; 3]) -> [f64; 3] {
    [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
}
