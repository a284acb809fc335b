//! Words of a finding are for people: no program text decides by them.
#![allow(clippy::unwrap_used)]

use std::fs;
use std::path::{Path, PathBuf};

use regex::Regex;

/// Program texts: crates without their tests, and the page.
fn sources(folder: &Path, out: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let name = path.file_name().unwrap().to_str().unwrap();
        if path.is_dir() {
            if !["tests", "benches", "node_modules", "dist", "target"].contains(&name) {
                sources(&path, out);
            }
        } else if matches!(
            path.extension().and_then(|e| e.to_str()),
            Some("rs" | "vue" | "ts")
        ) && name != "schema.d.ts"
        {
            out.push(path);
        }
    }
}

/// Something that decides by a text: a comparison, or a look for a part of it.
fn decides() -> Regex {
    let said = r"(headline|sentence|line|cause|next|reasons|settle|rows|plain|title|bands)\b(\[[^\]]*\])?(\??\.\w+)?";
    let looks = r"\??\.(includes|startsWith|endsWith|match|split|search|contains|starts_with|ends_with|strip_prefix|strip_suffix|trim_start_matches|split_once|rsplit|rfind)\(";
    let compares = r"\s*(===?|!==?)";
    Regex::new(&format!(
        r"words\??\.{said}({looks}|{compares})|words\??\.\w+{looks}|\b(headline|sentence){looks}"
    ))
    .unwrap()
}

#[test]
fn no_view_and_no_crate_decides_by_the_words_of_a_finding() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let mut files = Vec::new();
    sources(&root.join("crates"), &mut files);
    sources(&root.join("web/src"), &mut files);
    assert!(files.len() > 150, "{}", files.len());
    let decides = decides();
    let mut found = Vec::new();
    for file in files {
        let text = fs::read_to_string(&file).unwrap();
        for (i, line) in text.lines().enumerate() {
            if decides.is_match(line) {
                found.push(format!("{}:{}: {}", file.display(), i + 1, line.trim()));
            }
        }
    }
    assert!(found.is_empty(), "{found:#?}");
}

#[test]
fn the_look_for_it_finds_what_it_looks_for() {
    let decides = decides();
    for bad in [
        "if finding.words.headline.contains(\"stopped\") {",
        "finding.value?.words.cause?.startsWith('the fitted sensor')",
        "v-if=\"finding.words.line === 'ok'\"",
        "finding.words.rows[0].name.endsWith(', °C')",
        "let c = line.sentence.strip_prefix(\"stopped: \")",
        "words.headline == \"Pass\"",
    ] {
        assert!(decides.is_match(bad), "{bad}");
    }
    for good in [
        "<p class=\"head\">{{ finding.words.headline }}</p>",
        "w.headline = format!(\"Stop: {cause}.\");",
        "if words.code() == \"M110\" {",
        "finding.facts.verdict === 'stop'",
    ] {
        assert!(!decides.is_match(good), "{good}");
    }
}
