//! `make bench`: how often what is stated of a plant holds, 200 invented plants in each cell; docs/method.md quotes it.
#![allow(clippy::print_stdout)]

#[path = "../tests/plants/mod.rs"]
mod plants;

fn main() {
    println!(
        "| interval [s] | noise [°C] | plants | none, said so | K | τ | K/τ | lag | Ku | Tu | ±Ku, median |"
    );
    println!("|---|---|---|---|---|---|---|---|---|---|---|");
    for c in plants::coverage(200) {
        let share: Vec<String> = c
            .within
            .iter()
            .map(|w| format!("{:.0} %", f64::from(*w) / f64::from(c.found) * 100.0))
            .collect();
        println!(
            "| {} | {} | {} | {} | {} | {:.0} % |",
            c.interval,
            c.noise,
            c.found,
            c.none,
            share.join(" | "),
            c.half_ku * 100.0
        );
    }
}
