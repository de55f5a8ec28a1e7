use super::super::script::scripted;
use super::super::{Means, Seat};
use super::*;

const OWN: Ipv4Addr = Ipv4Addr::new(10, 40, 0, 7);
const THERE: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 5);
const NOBODY: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 6);
const FAR: Ipv4Addr = Ipv4Addr::new(192, 168, 7, 9);
const OWN_MAC: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);

fn vantage(means: Means) -> Vantage {
    let seat = Seat { own: OWN, subnet: "10.40.0.0/16".parse().unwrap(), limited_broadcast: true };
    Vantage { own_mac: Some(OWN_MAC), means, mark: 9, ..Vantage::of_seats(vec![seat]) }
}

const FRAMES: Means = Means { frames: true, echo: false, neighbours: false };

fn mac(last: u8) -> MacAddress {
    MacAddress([2, 0, 0, 0, 1, last])
}

fn arp(holder: MacAddress, address: Ipv4Addr) -> Vec<u8> {
    Arp { operation: ArpOperation::REPLY, sender: address, target: OWN, ..Arp::probe(holder, OWN) }.to_bytes()
}

fn echo(holder: MacAddress, from: Ipv4Addr, mark: u16, number: u16) -> Vec<u8> {
    [&OWN_MAC.0[..], &holder.0, &[8, 0], &lantern_wire::packet::echo_packet(false, from, OWN, mark, number)]
        .concat()
}

const fn ms(millis: u64) -> Duration {
    Duration::from_millis(millis)
}

#[test]
fn each_way_has_its_times_and_its_losses() {
    let mut reach = Reach::new(vantage(FRAMES), &[THERE], Ways::ALL, 4);
    // The third answer to ARP and the second echo are lost; another's echo is not ours.
    let frames = [
        (ms(2), arp(mac(5), THERE)),
        (ms(203), arp(mac(5), THERE)),
        (ms(204), echo(mac(5), THERE, 9, 0)),
        (ms(205), echo(mac(5), THERE, 8, 1)),
        (ms(604), arp(mac(5), THERE)),
        (ms(610), echo(mac(5), THERE, 9, 2)),
    ];
    let (sent, over) = scripted(&mut reach, &frames);
    let [one] = reach.reached() else { panic!("one address") };
    assert_eq!((one.arp.asked(), one.arp.answered(), one.arp.longest()), (4, 3, Some(ms(4))));
    // The first echo was not sent: nobody knew whom to send it to.
    assert_eq!((one.echo.asked(), one.echo.answered(), one.echo.middle()), (3, 2, Some(ms(4))));
    assert_eq!((one.art_net.asked(), one.art_net.answered()), (2, 0));
    assert_eq!(one.hold(reach.vantage()), Hold::Answers);
    // Four by ARP and two as nobody, three echoes, two polls.
    assert_eq!((sent.len(), over), (4 + 2 + 3 + 2, ms(2200)));
}

#[test]
fn who_is_held_twice_free_or_out_of_reach_is_told_apart() {
    let mut reach = Reach::new(vantage(FRAMES), &[THERE, NOBODY, FAR, OWN, THERE], Ways::ALL, 3);
    let frames = [(ms(2), arp(mac(5), THERE)), (ms(3), arp(mac(6), THERE))];
    let (sent, _) = scripted(&mut reach, &frames);
    let holds: Vec<Hold> = reach.reached().iter().map(|one| one.hold(reach.vantage())).collect();
    assert_eq!(holds, [Hold::HeldTwice, Hold::Free, Hold::Silent, Hold::Own]);
    let asks_far = |outgoing: &Outgoing| matches!(outgoing, Outgoing::Frame(frame) if Arp::parse(frame).is_ok_and(|arp| arp.target == FAR));
    assert!(!sent.iter().any(|(_, outgoing)| asks_far(outgoing)), "ARP does not reach another subnet");
    // This computer itself is not asked, and nobody twice.
    assert_eq!(reach.reached()[3].art_net.asked(), 0);
}

/// Under its own mask this computer is a stranger to it: it answers who asks as nobody, and nobody else.
#[test]
fn who_answers_nobody_only_has_the_address_and_does_not_answer_us() {
    let mut reach = Reach::new(vantage(FRAMES), &[THERE], Ways::ALL, 3);
    let as_nobody = Arp {
        operation: ArpOperation::REPLY,
        sender: THERE,
        target: Ipv4Addr::UNSPECIFIED,
        ..Arp::probe(mac(5), OWN)
    };
    scripted(&mut reach, &[(ms(102), as_nobody.to_bytes())]);
    let [one] = reach.reached() else { panic!("one address") };
    assert_eq!((one.holders.len(), one.arp.answered(), one.hold(reach.vantage())), (1, 0, Hold::OnlyHeld));
}

#[test]
fn it_ends_as_soon_as_everything_is_answered() {
    let means = Means { frames: false, echo: true, neighbours: false };
    let mut reach = Reach::new(vantage(means), &[THERE], Ways::only(&[Way::Echo]), 1);
    reach.wake(ms(0));
    assert_eq!(reach.next_send(), Some(Outgoing::Echo { seat: 0, to: THERE, number: 0 }));
    reach.hear(ms(3), &Heard::Echo { from: NOBODY, number: 0 });
    assert!(!reach.answered());
    reach.hear(ms(5), &Heard::Echo { from: THERE, number: 0 });
    assert_eq!((reach.answered(), reach.wake_at()), (true, None));
    assert_eq!(reach.reached()[0].echo.shortest(), Some(ms(5)));
}

#[test]
fn silence_ends_it_too() {
    let means = Means { frames: false, echo: true, neighbours: true };
    let mut reach = Reach::new(vantage(means), &[THERE], Ways::ALL, 2);
    let (sent, over) = scripted(&mut reach, &[]);
    assert!(sent.iter().any(|(_, outgoing)| *outgoing == Outgoing::Neighbours));
    assert_eq!((reach.answered(), reach.reached()[0].hold(reach.vantage())), (false, Hold::Silent));
    assert_eq!(over, ms(2200));
}

#[test]
fn a_whole_range_keeps_the_pace() {
    let all: Vec<Ipv4Addr> = (1..=250).map(|last| Ipv4Addr::new(10, 40, 1, last)).collect();
    let mut reach = Reach::new(vantage(FRAMES), &all, Ways::only(&[Way::Arp]), 3);
    let (sent, _) = scripted(&mut reach, &[]);
    assert_eq!(sent.len(), 250 * 5);
    let in_first_second = sent.iter().filter(|(at, _)| *at < ms(1000)).count();
    assert!(in_first_second <= 520, "{in_first_second}");
}
