//! A node behaves as the standard says, faults included.

use lantern_wire::art_net::{Address, Command, DataLoss, IpCommand, Message, Program};
use lantern_wire::{MacAddress, Text};
use rstest::rstest;

use super::*;
use crate::Model;

const POLLER: SocketAddrV4 = SocketAddrV4::new(Ipv4Addr::new(10, 40, 0, 7), PORT);

fn setup() -> NodeSetup {
    let page = |sub| PagePorts { net: 1, sub, out: vec![0, 1, 2], taken: vec![9], ..PagePorts::default() };
    NodeSetup {
        fixtures: Vec::new(),
        cable: Duration::from_millis(20),
        name: "quay-north".to_owned(),
        label: "Quay north mast".to_owned(),
        model: Model::Eight,
        mac: MacAddress([2, 0x4d, 0x42, 0, 0x10, 1]),
        address: Ipv4Addr::new(10, 40, 1, 100),
        mask: Ipv4Addr::new(255, 255, 0, 0),
        gateway: Ipv4Addr::UNSPECIFIED,
        dhcp: false,
        lease: None,
        firmware: 0x0104,
        factory: Ipv4Addr::new(10, 40, 240, 1),
        pages: vec![page(0), page(1)],
        reply: Reply::ToPoller,
        late: Duration::ZERO,
        restart: Duration::from_millis(800),
        defends_late: None,
        refuses: false,
        quirks: Vec::new(),
        off: false,
    }
}

/// Runs the node on until `until` and gives what it says, for as long as the tests run.
fn run(node: &mut SimNode, until: Duration) -> Vec<(Destination, Message<'static>)> {
    while let Some(at) = node.wake_at().filter(|at| *at <= until) {
        node.wake(at);
    }
    let said = std::iter::from_fn(|| node.next_speech());
    said.map(|speech| (speech.to, Message::parse(speech.bytes.leak()).unwrap())).collect()
}

fn poll_replies(node: &mut SimNode, now: Duration) -> Vec<PollReply> {
    node.hear(now, POLLER, false, &Poll::default().to_bytes());
    let said = run(node, now + Duration::from_secs(3));
    said.into_iter()
        .map(|(_, message)| match message {
            Message::PollReply(reply) => *reply,
            other => panic!("said {other:?}"),
        })
        .collect()
}

#[rstest]
#[case(Reply::ToPoller, Destination::One(POLLER))]
#[case(Reply::ToEverybody, Destination::Everybody)]
fn a_poll_is_answered_page_by_page_within_a_second(#[case] reply: Reply, #[case] to: Destination) {
    let mut node = SimNode::new(NodeSetup { reply, ..setup() }, 3);
    node.hear(Duration::ZERO, POLLER, false, &Poll::default().to_bytes());
    assert!(node.wake_at().unwrap() < RANDOM_WAIT);
    let said = run(&mut node, RANDOM_WAIT);
    assert!(said.iter().all(|(target, _)| *target == to));
    let indices: Vec<u8> =
        said.iter().map(|(_, m)| if let Message::PollReply(r) = m { r.bind_index } else { 0 }).collect();
    assert_eq!(indices, [1, 2]);
}

#[test]
fn a_targeted_poll_is_answered_by_those_it_names() {
    let mut node = SimNode::new(setup(), 3);
    let target = |bottom, top| {
        let target = lantern_wire::art_net::PollTarget { top, bottom, ..Default::default() };
        Poll { flags: lantern_wire::art_net::PollFlags::TARGETED, priority: 0, target: Some(target) }.to_bytes()
    };
    node.hear(Duration::ZERO, POLLER, false, &target(0, 100));
    assert_eq!(node.wake_at(), None);
    node.hear(Duration::ZERO, POLLER, false, &target(0x112, 0x112));
    assert!(node.wake_at().is_some());
}

#[test]
fn a_new_address_is_acknowledged_then_taken_after_a_restart() {
    let mut node = SimNode::new(setup(), 3);
    let wanted = Ipv4Addr::new(10, 40, 1, 101);
    let command = IpCommand::PROGRAM.and(IpCommand::ADDRESS);
    node.hear(Duration::ZERO, POLLER, false, &IpProg { command, address: wanted, ..IpProg::ASK }.to_bytes());
    let said = run(&mut node, Duration::from_millis(100));
    assert!(matches!(&said[..], [(_, Message::IpProgReply(r))] if r.address == wanted && !r.dhcp()));
    assert!(!node.is_listening());
    node.hear(Duration::from_millis(100), POLLER, false, &Poll::default().to_bytes());
    assert_eq!(run(&mut node, Duration::from_millis(799)), []);
    let said = run(&mut node, Duration::from_millis(800));
    assert!(matches!(&said[0], (Destination::Everybody, Message::PollReply(r)) if r.address == wanted));
}

#[rstest]
#[case(IpCommand::DHCP, None, "169.254.16.1", true)]
#[case(IpCommand::DHCP, Some("10.40.250.9"), "10.40.250.9", true)]
#[case(IpCommand::DEFAULTS, None, "10.40.240.1", false)]
fn dhcp_and_factory_settings(
    #[case] command: IpCommand,
    #[case] lease: Option<&str>,
    #[case] address: &str,
    #[case] dhcp: bool,
) {
    let lease = lease.map(|a| a.parse().unwrap());
    let mut node = SimNode::new(NodeSetup { lease, ..setup() }, 3);
    let message = IpProg { command: IpCommand::PROGRAM.and(command), ..IpProg::ASK };
    node.hear(Duration::ZERO, POLLER, false, &message.to_bytes());
    run(&mut node, Duration::from_secs(1));
    let reply = poll_replies(&mut node, Duration::from_secs(2)).remove(0);
    assert_eq!((reply.address.to_string().as_str(), reply.status2.dhcp_in_use()), (address, dhcp));
}

#[test]
fn asking_changes_nothing() {
    let mut node = SimNode::new(setup(), 3);
    node.hear(Duration::ZERO, POLLER, false, &IpProg::ASK.to_bytes());
    let said = run(&mut node, Duration::from_millis(10));
    assert!(matches!(&said[..], [(_, Message::IpProgReply(r))] if r.mask == Ipv4Addr::new(255, 255, 0, 0)));
    assert!(node.is_listening());
}

#[test]
fn one_page_is_programmed_and_the_other_stays() {
    let mut node = SimNode::new(setup(), 3);
    let mut message = Address { short_name: Text::cut("mast"), ..Address::keep_all(2) };
    message.switch_out[1] = Program::set(7);
    message.sub = Program::set(4);
    node.hear(Duration::ZERO, POLLER, false, &message.to_bytes());
    assert!(matches!(&run(&mut node, THINKING)[..], [(_, Message::PollReply(r))] if r.bind_index == 2));
    let replies = poll_replies(&mut node, Duration::from_secs(1));
    assert_eq!(replies[0].short_name.to_lossy(), "mast");
    assert_eq!((replies[0].sub, replies[0].ports[1].switch_out), (0, 1));
    assert_eq!((replies[1].sub, replies[1].ports[1].switch_out, replies[1].ports[0].switch_out), (4, 7, 0));
}

#[rstest]
#[case(Command::merge_ltp(1), |r: &PollReply| r.ports[1].output_a.merges_ltp())]
#[case(Command::take_sacn(0), |r: &PollReply| r.ports[0].output_a.takes_sacn())]
#[case(Command::input(2), |r: &PollReply| r.ports[2].kind.is_input())]
#[case(Command::LOSS_SCENE, |r: &PollReply| r.status3.data_loss() == DataLoss::Scene)]
#[case(Command::INDICATORS_LOCATE, |r: &PollReply| r.status1.indicators() == lantern_wire::art_net::Indicators::Locate)]
fn commands_show_in_the_reply(#[case] command: Command, #[case] shows: fn(&PollReply) -> bool) {
    let mut node = SimNode::new(setup(), 3);
    assert!(!shows(&poll_replies(&mut node, Duration::ZERO)[0]));
    node.hear(Duration::ZERO, POLLER, false, &Address { command, ..Address::keep_all(1) }.to_bytes());
    assert!(
        shows(&poll_replies(&mut node, Duration::from_secs(5)).pop().unwrap()) || command != Command::LOSS_SCENE
    );
    assert!(shows(&poll_replies(&mut node, Duration::from_secs(9))[0]));
}

#[test]
fn one_that_refuses_answers_and_stays_as_it_was() {
    let mut node = SimNode::new(NodeSetup { refuses: true, ..setup() }, 3);
    let message = Address { short_name: Text::cut("mast"), ..Address::keep_all(1) };
    node.hear(Duration::ZERO, POLLER, false, &message.to_bytes());
    let command = IpCommand::PROGRAM.and(IpCommand::ADDRESS);
    let address = Ipv4Addr::new(10, 40, 9, 9);
    node.hear(Duration::ZERO, POLLER, false, &IpProg { command, address, ..IpProg::ASK }.to_bytes());
    let said = run(&mut node, THINKING);
    assert!(matches!(&said[0], (_, Message::PollReply(r)) if r.short_name.to_lossy() == "quay-north"));
    assert!(matches!(&said[1], (_, Message::IpProgReply(r)) if r.address == node.address()));
}

#[test]
fn one_that_is_off_is_silent_until_it_has_started() {
    let mut node = SimNode::new(NodeSetup { off: true, ..setup() }, 3);
    node.hear(Duration::ZERO, POLLER, false, &Poll::default().to_bytes());
    assert_eq!(node.wake_at(), None);
    node.switch(Duration::from_secs(1), true);
    assert_eq!(run(&mut node, Duration::from_millis(1799)), []);
    assert_eq!(run(&mut node, Duration::from_millis(1800)).len(), 2);
}

#[test]
fn a_flood_of_questions_does_not_pile_up() {
    let mut node = SimNode::new(setup(), 3);
    for _ in 0..1000 {
        node.hear(Duration::ZERO, POLLER, false, &Poll::default().to_bytes());
    }
    assert_eq!(run(&mut node, Duration::from_secs(3)).len(), 2 * MOST_WAITING);
}
