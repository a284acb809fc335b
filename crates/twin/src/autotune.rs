//! The firmware's own autotune: a relay on the simulated heater.

use std::f64::consts::PI;
use std::fmt::Write as _;

/// A running relay test, output 0 to 255.
#[derive(Clone, Debug)]
pub(crate) struct Autotune {
    pub target_c: f64,
    pub bed: bool,
    cycles: u32,
    done: u32,
    bias: f64,
    d: f64,
    heating: bool,
    switched_s: f64,
    high_s: f64,
    low_s: f64,
    max_c: f64,
    min_c: f64,
    started_s: f64,
}

/// How a step of it ended.
pub(crate) enum Progress {
    Going,
    Done,
    Failed(&'static str),
}

impl Autotune {
    pub fn new(target_c: f64, bed: bool, cycles: u32, now_s: f64) -> Self {
        Self {
            target_c,
            bed,
            cycles,
            done: 0,
            bias: 127.0,
            d: 127.0,
            heating: true,
            switched_s: now_s,
            high_s: 0.0,
            low_s: 0.0,
            max_c: f64::NEG_INFINITY,
            min_c: f64::INFINITY,
            started_s: now_s,
        }
    }

    /// Duty now, 0 to 1.
    pub fn duty(&self) -> f64 {
        let out = if self.heating {
            self.bias + self.d
        } else {
            self.bias - self.d
        };
        (out / 255.0).clamp(0.0, 1.0)
    }

    /// One decision; lines to report go to `out`.
    pub fn step(&mut self, temp_c: f64, now_s: f64, out: &mut String) -> Progress {
        self.max_c = self.max_c.max(temp_c);
        self.min_c = self.min_c.min(temp_c);
        // A second at least between switches: noise about the target is no swing.
        let rested = now_s - self.switched_s > 1.0;
        if self.heating && temp_c > self.target_c && rested {
            self.heating = false;
            self.high_s = now_s - self.switched_s;
            self.switched_s = now_s;
            self.max_c = temp_c;
        } else if !self.heating && temp_c < self.target_c && rested {
            self.heating = true;
            self.low_s = now_s - self.switched_s;
            self.switched_s = now_s;
            if self.done > 0 {
                self.bias += self.d * (self.high_s - self.low_s) / (self.high_s + self.low_s);
                self.bias = self.bias.clamp(20.0, 235.0);
                self.d = if self.bias > 127.0 {
                    254.0 - self.bias
                } else {
                    self.bias
                };
                let _ = write!(
                    out,
                    "bias: {:.0} d: {:.0} min: {:.2} max: {:.2}",
                    self.bias, self.d, self.min_c, self.max_c
                );
                if self.done > 1 {
                    let [ku, tu, ..] = self.result();
                    let _ = write!(out, " Ku: {ku:.2} Tu: {tu:.2}");
                }
                out.push('\n');
            }
            self.done += 1;
            if self.done > self.cycles {
                let [_, _, kp, ki, kd] = self.result();
                let _ = writeln!(out, "autotune done: Kp: {kp:.2} Ki: {ki:.2} Kd: {kd:.2}");
                return Progress::Done;
            }
            self.min_c = temp_c;
        }
        if temp_c > self.target_c + 30.0 {
            return Progress::Failed("autotune stopped, too hot");
        }
        if now_s - self.switched_s > 600.0 || now_s - self.started_s > 3_600.0 {
            return Progress::Failed("autotune stopped, no swing in ten minutes");
        }
        Progress::Going
    }

    /// Ku, Tu, and gains by Ziegler & Nichols 1942.
    fn result(&self) -> [f64; 5] {
        let ku = 4.0 * self.d / (PI * (self.max_c - self.min_c) / 2.0);
        let tu = self.high_s + self.low_s;
        let kp = 0.6 * ku;
        [ku, tu, kp, 2.0 * kp / tu, kp * tu / 8.0]
    }
}
