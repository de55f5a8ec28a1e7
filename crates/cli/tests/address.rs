//! `address`: what surrounds an address.

use rstest::rstest;

use crate::support::Folder;

#[rstest]
#[case(&["address", "10.40.1.9/22"], 0, "10.40.0-3.*")]
#[case(&["address", "10.40.1.9", "255.255.0.0"], 0, "10.40.*.*")]
#[case(&["address", "10.40.255.255/16"], 1, "it means every device of the subnet")]
#[case(&["address", "169.254.3.4/16"], 0, "no DHCP server answered it")]
fn it_is_explained(#[case] arguments: &[&str], #[case] code: i32, #[case] said: &str) {
    let answer = Folder::new().run(arguments).ended(code);
    assert!(answer.out.contains(said), "{}", answer.out);
}

#[rstest]
#[case(&["address", "10.40.1.9"], "which mask?")]
#[case(&["address", "10.40.1.900/16"], "is no address")]
#[case(&["address", "10.40.1.9/33"], "is no address")]
#[case(&["address", "10.40.1.9", "255.0.255.0"], "255.0.255.0")]
fn a_wrong_one_is_told(#[case] arguments: &[&str], #[case] said: &str) {
    let answer = Folder::new().run(arguments).ended(2);
    assert!(answer.notes.contains(said), "{}", answer.notes);
}

#[test]
fn the_sheet_gives_the_mask_and_says_who_is_there() {
    let answer = Folder::night().run(&["address", "10.40.1.100", "--json"]).ended(0).json();
    assert_eq!((&answer["prefix"], &answer["on_sheet"]["state"]), (&16.into(), &"node".into()), "{answer:#}");
    assert!(answer["on_sheet"]["who"].is_string(), "{answer:#}");
}
