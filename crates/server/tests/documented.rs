//! Every public number of core says its unit, and every public thing says what it is.
#![allow(clippy::unwrap_used)]

use std::fs;
use std::path::{Path, PathBuf};

use quote::ToTokens as _;
use syn::{Attribute, Fields, ImplItem, Item, ReturnType, Type, Visibility};

fn sources(folder: &Path, out: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            sources(&path, out);
        } else if path.extension().is_some_and(|e| e == "rs") {
            out.push(path);
        }
    }
}

fn doc(attributes: &[Attribute]) -> String {
    let lines = attributes.iter().filter(|a| a.path().is_ident("doc"));
    lines
        .filter_map(|a| match &a.meta {
            syn::Meta::NameValue(v) => Some(v.value.to_token_stream().to_string()),
            _ => None,
        })
        .collect()
}

/// A number, or several: what has a unit.
fn is_number(text: &str) -> bool {
    let bare = text.replace(' ', "");
    ["f64", "Option<f64>", "Vec<f64>", "&[f64]"].contains(&bare.as_str())
        || (bare.starts_with("[f64;") && bare.ends_with(']'))
}

/// A unit at the end of a name, e.g. `gain_c`, `feed_mm_min`.
fn name_has_unit(name: &str) -> bool {
    const UNITS: [&str; 21] = [
        "c", "k", "s", "min", "mm", "mm2", "mm3", "um", "m", "g", "w", "j", "v", "a", "ohm", "deg",
        "percent", "duty", "share", "ratio", "factor",
    ];
    let mut parts = name.to_ascii_lowercase();
    if UNITS.contains(&parts.as_str()) {
        return false;
    }
    loop {
        let Some((head, last)) = parts
            .rsplit_once('_')
            .map(|(h, l)| (h.to_owned(), l.to_owned()))
        else {
            return false;
        };
        if UNITS.contains(&last.as_str()) {
            return true;
        }
        // A bound of something, e.g. `heat_c_s_most`.
        if !["most", "least", "min", "max"].contains(&last.as_str()) {
            return false;
        }
        parts = head;
    }
}

/// A unit in square brackets, or words that say that there is none, or that it is another field's.
fn doc_has_unit(doc: &str) -> bool {
    const WORDS: [&str; 18] = [
        "0 to 1",
        "0 to 255",
        "0 to 127",
        "ratio",
        "Ratio to",
        "Number of",
        "number of",
        "how many",
        "factor",
        "share",
        "per cent",
        " unit",
        "egrees of freedom",
        "probability",
        "in its own",
        "relative",
        "exponent",
        "times",
    ];
    // A link to another item is no unit; one to the field that holds the unit is.
    let bracketed = doc.split('[').skip(1).any(|part| {
        let inside = part.split(']').next().unwrap_or_default();
        inside == "`unit`" || (part.contains(']') && !inside.contains('`'))
    });
    bracketed || WORDS.iter().any(|w| doc.contains(w))
}

struct Look {
    numbers: usize,
    things: usize,
    missing: Vec<String>,
}

impl Look {
    fn thing(&mut self, place: &str, name: &str, doc: &str) {
        self.things += 1;
        if doc.trim().len() < 4 {
            self.missing.push(format!("{place}: {name} says nothing"));
        }
    }

    fn number(&mut self, place: &str, name: &str, ty: &str, doc: &str) {
        if !is_number(ty) {
            return;
        }
        self.numbers += 1;
        if !name_has_unit(name) && !doc_has_unit(doc) {
            self.missing
                .push(format!("{place}: {name} has no unit: {doc}"));
        }
    }

    fn function(&mut self, place: &str, signature: &syn::Signature, attributes: &[Attribute]) {
        let (name, doc) = (signature.ident.to_string(), doc(attributes));
        self.thing(place, &name, &doc);
        if let ReturnType::Type(_, ty) = &signature.output {
            self.number(place, &name, &ty.to_token_stream().to_string(), &doc);
            let text = ty.to_token_stream().to_string();
            if text.starts_with("Result <") && !doc.contains("# Errors") {
                self.missing
                    .push(format!("{place}: {name} tells no errors"));
            }
        }
    }

    fn fields(&mut self, place: &str, of: &str, fields: &Fields, all_public: bool) {
        for field in fields {
            if !all_public && !matches!(field.vis, Visibility::Public(_)) {
                continue;
            }
            let Some(name) = &field.ident else { continue };
            let (name, doc) = (name.to_string(), doc(&field.attrs));
            self.thing(place, &format!("{of}.{name}"), &doc);
            self.number(place, &name, &field.ty.to_token_stream().to_string(), &doc);
        }
    }

    fn item(&mut self, place: &str, item: &Item) {
        match item {
            Item::Const(c) if matches!(c.vis, Visibility::Public(_)) => {
                let (name, doc) = (c.ident.to_string(), doc(&c.attrs));
                self.thing(place, &name, &doc);
                self.number(place, &name, &c.ty.to_token_stream().to_string(), &doc);
            }
            Item::Fn(f) if matches!(f.vis, Visibility::Public(_)) => {
                self.function(place, &f.sig, &f.attrs);
            }
            Item::Struct(s) if matches!(s.vis, Visibility::Public(_)) => {
                self.thing(place, &s.ident.to_string(), &doc(&s.attrs));
                self.fields(place, &s.ident.to_string(), &s.fields, false);
            }
            Item::Enum(e) if matches!(e.vis, Visibility::Public(_)) => {
                self.thing(place, &e.ident.to_string(), &doc(&e.attrs));
                for v in &e.variants {
                    // A part of the trade is what its name says.
                    if !v.fields.is_empty() {
                        self.thing(place, &format!("{}::{}", e.ident, v.ident), &doc(&v.attrs));
                    }
                    self.fields(place, &v.ident.to_string(), &v.fields, true);
                }
            }
            Item::Impl(i) if i.trait_.is_none() => {
                let of = match &*i.self_ty {
                    Type::Path(p) => p.to_token_stream().to_string(),
                    _ => String::new(),
                };
                for inner in &i.items {
                    if let ImplItem::Fn(f) = inner
                        && matches!(f.vis, Visibility::Public(_))
                    {
                        self.function(&format!("{place} {of}"), &f.sig, &f.attrs);
                    }
                }
            }
            _ => {}
        }
    }
}

#[test]
fn public_numbers_of_core_have_units_and_public_things_say_what_they_are() {
    let core = Path::new(env!("CARGO_MANIFEST_DIR")).join("../core");
    let mut files = Vec::new();
    for entry in fs::read_dir(&core).unwrap() {
        sources(&entry.unwrap().path().join("src"), &mut files);
    }
    let mut look = Look {
        numbers: 0,
        things: 0,
        missing: Vec::new(),
    };
    for file in files {
        let place = file.strip_prefix(&core).unwrap().display().to_string();
        let parsed = syn::parse_file(&fs::read_to_string(&file).unwrap()).unwrap();
        for item in &parsed.items {
            look.item(&place, item);
        }
    }
    assert!(
        look.things > 800 && look.numbers > 150,
        "{} things, {} numbers: the look finds nothing",
        look.things,
        look.numbers
    );
    assert!(
        look.missing.is_empty(),
        "{} of {} things and {} numbers:\n{}",
        look.missing.len(),
        look.things,
        look.numbers,
        look.missing.join("\n")
    );
}

#[test]
fn the_look_finds_what_it_looks_for() {
    let text = "
        /// A gain.
        pub const GAIN: f64 = 1.0;
        /// Reads it.
        pub fn read() -> Result<f64, ()> { Ok(1.0) }
        pub struct Bare { pub at: f64 }
        /// See [`Fine`].
        pub const SEEN: f64 = 1.0;
        /// Fine.
        pub struct Fine {
            /// Where [mm].
            pub at: f64,
            /// How hot.
            pub at_c: f64,
        }
    ";
    let mut look = Look {
        numbers: 0,
        things: 0,
        missing: Vec::new(),
    };
    for item in &syn::parse_file(text).unwrap().items {
        look.item("here", item);
    }
    assert_eq!(look.missing.len(), 6, "{:#?}", look.missing);
}
