//! Versions compared, files cut into blocks, tables read.

use lantern_wire::art_net::BlockKind;
use rstest::rstest;

use super::{FirmwareStanding, FirmwareTable, Image};
use crate::Firmware;

#[rstest]
#[case::as_numbers(Some("1.9"), Some("1.10"), FirmwareStanding::Older)]
#[case::the_same(Some("1.10"), Some("1.10"), FirmwareStanding::Equal)]
#[case::first_part_counts_first(Some("2.0"), Some("1.255"), FirmwareStanding::Newer)]
#[case::nothing_expected(Some("1.0"), None, FirmwareStanding::Unknown)]
#[case::nothing_told(None, Some("1.0"), FirmwareStanding::Unknown)]
fn versions_are_compared_as_numbers(
    #[case] has: Option<&str>,
    #[case] expected: Option<&str>,
    #[case] standing: FirmwareStanding,
) {
    let version = |text: Option<&str>| text.map(|text| text.parse::<Firmware>().unwrap());
    assert_eq!(FirmwareStanding::of(version(has), version(expected)), standing);
}

#[test]
fn a_file_is_cut_into_blocks_that_make_it_up_again() {
    for length in [1, 2, 1023, 1024, 1025, 2048, 300_001] {
        let bytes: Vec<u8> = (0..length).map(|at: u32| at.to_le_bytes()[0]).collect();
        let image = Image::new(bytes.clone(), Firmware { major: 1, minor: 0 }).unwrap();
        let mut together: Vec<u8> =
            (0..image.blocks()).flat_map(|block| image.block(block).data.to_vec()).collect();
        together.truncate(bytes.len());
        assert_eq!(together, bytes);
        let last = image.block(image.blocks() - 1);
        assert_eq!((last.kind, last.words), (BlockKind::LAST, length.div_ceil(2)));
        assert_eq!(image.blocks() > 1, image.block(0).kind == BlockKind::FIRST);
        // Numbers go round after 256 blocks.
        assert_eq!(u32::from(last.block), (image.blocks() - 1) % 256);
    }
    assert!(Image::new(Vec::new(), Firmware { major: 1, minor: 0 }).is_none());
}

#[test]
fn a_table_is_read_and_its_mistakes_are_told() {
    let text = "[[firmware]]\nkind = \"marrowbright-four\"\nversion = \"1.10\"\nfile = \"four.bin\"\n";
    let table = FirmwareTable::read(text).unwrap();
    assert_eq!(table.of_kind("marrowbright-four").unwrap().version, Firmware { major: 1, minor: 10 });
    assert_eq!(table.of_file("four.bin"), table.of_kind("marrowbright-four"));
    assert_eq!(table.all().len(), 1);
    let wrong = FirmwareTable::read("[[firmware]]\nkind = \"x\"\nversion = \"one\"\nfiel = \"y\"\n").unwrap_err();
    assert_eq!(wrong.errors.len(), 2, "{wrong:?}");
}
