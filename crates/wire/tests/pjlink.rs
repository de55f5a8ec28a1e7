//! Lines of PJLink as the published specification has them, and lines that are none.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]

use lantern_wire::pjlink::{
    Answer, Faults, Found, Greeting, NoAnswer, Power, Question, SEARCH, input_in_words, lamp_hours,
};
use rstest::rstest;

#[test]
fn a_password_is_mixed_with_what_the_device_greets_with() {
    let greeting = Greeting::parse("PJLINK 1 498e4a67").unwrap();
    // The example of the specification (section 5.2).
    assert_eq!(greeting.answer("JBMIAProjectorLink"), "5d8409bc1c3fa39749434aa3a5c38682");
    assert_eq!(Greeting::parse("PJLINK 0").unwrap().answer("JBMIAProjectorLink"), "");
    assert_eq!(Greeting::parse("PJLINK ERRA"), Ok(Greeting::Refused));
    for line in ["", "PJLINK", "PJLINK 2", "PJLINK 1", "PJLINK 1 ", "HTTP/1.1 400 Bad Request", "PJLINK 0 x"] {
        assert!(Greeting::parse(line).is_err(), "{line}");
    }
}

#[test]
fn questions_and_answers_are_lines() {
    assert_eq!(Question::Power.to_bytes(""), b"%1POWR ?\r");
    assert_eq!(Question::Serial.to_bytes("abc"), b"abc%2SNUM ?\r");
    let answer = |line: &str| Answer::parse(line).unwrap();
    assert_eq!(answer("%1NAME=Back wall").told, Ok("Back wall".to_owned()));
    assert_eq!(answer("%1powr=1").to, Question::Power);
    assert_eq!(answer("%1POWR=ERR3").told, Err(NoAnswer::NotNow));
    assert_eq!(answer("%1INF1=a=b").told, Ok("a=b".to_owned()));
    for line in ["", "%", "%1", "%1POWR", "%3POWR=1", "%1WHAT=1", "POWR=1", "%é=1"] {
        assert!(Answer::parse(line).is_err(), "{line}");
    }
}

#[rstest]
#[case("000000", Some("none"))]
#[case("010020", Some("lamp: warning, filter: error"))]
#[case("000003", None)]
#[case("00000", None)]
fn faults_are_said_part_by_part(#[case] value: &str, #[case] words: Option<&str>) {
    assert_eq!(Faults::parse(value).map(|faults| faults.to_string()).as_deref(), words);
}

#[test]
fn values_that_mean_nothing_are_nothing() {
    assert_eq!((Power::parse("3"), Power::parse("4")), (Some(Power::Warming), None));
    assert_eq!((lamp_hours("120 1 1300 0"), lamp_hours("120"), lamp_hours("")), (Some(1300), None, None));
    let inputs = ["31", "1A", "91", "3", "3é", ""].map(input_in_words);
    assert_eq!(inputs, [Some("digital 1".to_owned()), Some("RGB A".to_owned()), None, None, None, None]);
}

#[test]
fn a_search_is_answered_with_a_mac_address() {
    assert_eq!(Found::parse(SEARCH), Ok(Found::Search));
    let mac = "02:4d:42:00:60:01".parse().unwrap();
    assert_eq!(Found::parse(&Found::ack(mac)), Ok(Found::Device(Some(mac))));
    assert_eq!(Found::parse(b"%2POWR=1\r"), Ok(Found::Device(None)));
    for bytes in [&b"%2ACKN=\r"[..], b"%2ACKN=x\r", b"%1SRCH\r", b"\xff", b""] {
        assert!(Found::parse(bytes).is_err(), "{bytes:?}");
    }
}
