//! Sentences as customers say them, read by hand: what each must propose, and what it must not. Invented sentences.

use std::collections::BTreeSet;

use wattotherm_diagnosis::{SHIPPED, proposals};

#[test]
fn what_customers_say_proposes_what_they_mean_and_not_the_opposite() {
    // Sentence, must propose, must not.
    let cases: &[(&str, &[&str], &[&str])] = &[
        (
            "Fine in the evening, thin in the morning. I put in a new nozzle, it was good for a day.",
            &["half_print", "thin", "new_nozzle_for_a_while"],
            &["strings", "reads_end", "at_once"],
        ),
        (
            "Good for half a print, then it gets thin. Comes back after a new nozzle.",
            &["half_print", "thin", "new_nozzle_for_a_while"],
            &["after_minutes"],
        ),
        (
            "The display says 0 for the nozzle and it won't heat.",
            &["reads_end", "slow_heat"],
            &["strings"],
        ),
        (
            "Nothing comes out since this morning, after twenty minutes it clogs.",
            &["nothing_comes", "after_minutes"],
            &["thin"],
        ),
        (
            "It hisses and the walls are fuzzy, strings everywhere.",
            &["hiss", "strings"],
            &["ringing"],
        ),
        (
            "No strings at all, but the lines are thin.",
            &["thin"],
            &["strings"],
        ),
        (
            "Only the first layer is bad, it scrapes over the bed.",
            &["first_layer_only", "ridges"],
            &["thin"],
        ),
        (
            "The filament doesn't stick in one corner of the plate.",
            &["loose_strands", "plate_uneven"],
            &["wont_load"],
        ),
        (
            "Big blob of plastic around the hot end, the part came off the plate.",
            &["plastic_all_over", "part_dragged"],
            &["thin"],
        ),
        (
            "Since the drive was swapped everything comes out at a third of the length.",
            &["since_swap", "one_factor"],
            &["strings"],
        ),
        (
            "The reading drops by fifty degrees for a second and comes back.",
            &["jumps"],
            &["drops_above_nozzle"],
        ),
        (
            "It clicks and the filament stops after a few centimetres.",
            &["clicks", "wont_load"],
            &["strings"],
        ),
        (
            "Temperature swings up and down by ten degrees.",
            &["swings"],
            &["jumps"],
        ),
        (
            "Layers split apart when I bend it.",
            &["weak_layers"],
            &["first_layer_only"],
        ),
        (
            "There is brown plastic dripping above the nozzle.",
            &["drops_above_nozzle"],
            &["plastic_all_over"],
        ),
        ("Waves next to every corner.", &["ringing"], &["thin"]),
        (
            "It prints in air right from the start.",
            &["nothing_comes", "at_once"],
            &[],
        ),
        ("Only with the red spool.", &["one_filament"], &["at_once"]),
        (
            "The motor gets hot and hums.",
            &["motor_hot"],
            &["slow_heat"],
        ),
        (
            "Smells burnt since I printed it hotter.",
            &["burnt_smell"],
            &["part_dragged"],
        ),
        (
            "I changed the nozzle on sunday. Now there are strings everywhere and the walls look thin.",
            &["since_swap", "strings", "thin"],
            &["at_random"],
        ),
        (
            "I replaced the cutter last week, now it jams on loading.",
            &["since_swap"],
            &["at_random", "new_nozzle_for_a_while"],
        ),
        (
            "We've fitted a longer tube and it oozes like mad.",
            &["since_swap", "strings"],
            &["one_factor"],
        ),
        (
            "I changed the filament and it strings.",
            &["strings"],
            &["since_swap"],
        ),
        (
            "Every now and then a layer is shifted.",
            &["at_random", "ringing"],
            &["since_swap"],
        ),
        (
            "Now it doesn’t stick any more.",
            &["loose_strands"],
            &["at_random"],
        ),
        (
            "First layer perfect, later spaghetti.",
            &["part_dragged"],
            &["first_layer_only"],
        ),
        (
            "It under extrudes after about 20 minutes.",
            &["thin", "after_minutes"],
            &["fat_lines"],
        ),
        (
            "Says heating failed and stops.",
            &["slow_heat"],
            &["wont_load", "reads_end"],
        ),
        (
            "It was fine until I tightened the nozzle; now plastic leaks out above it.",
            &["drops_above_nozzle"],
            &["half_print", "at_random"],
        ),
        (
            "The filament is ground to dust and there is a clicking noise.",
            &["grinding_dust", "clicks"],
            &["thin"],
        ),
        ("It is loud.", &[], &["rattles", "at_once"]),
        ("It is fine.", &[], &["at_once", "thin", "half_print"]),
        ("", &[], &["at_once"]),
    ];
    for (said, must, must_not) in cases {
        let got: BTreeSet<&str> = proposals(said).iter().map(|p| p.observation).collect();
        for o in *must {
            assert!(got.contains(o), "“{said}” should propose {o}: {got:?}");
        }
        for o in *must_not {
            assert!(!got.contains(o), "“{said}” should not propose {o}: {got:?}");
        }
        // A proposal is a question to answer, not a form: few of them.
        assert!(got.len() <= 6, "“{said}”: {got:?}");
        assert!(got.iter().all(|o| SHIPPED.observation(o).is_some()));
    }
}

#[test]
fn a_proposal_quotes_the_words_that_say_so() {
    let got = proposals("The Temperature swings by 10.");
    assert_eq!(
        (got[0].observation, got[0].because.as_str()),
        ("swings", "Temperature … swings")
    );
}

#[test]
fn no_text_however_long_or_strange_breaks_it() {
    let long = "nothing comes ".repeat(3000);
    for said in [
        long.as_str(),
        "…\u{0}\u{202e}<b>\"'",
        "ПРИНТЕР не печатает",
        "\n\n.;;!",
    ] {
        assert!(proposals(said).len() <= SHIPPED.observations.len());
    }
}
