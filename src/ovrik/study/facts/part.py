"""The parts of an export that are timed by themselves, to learn where its time goes."""

ALL, DECODE, TREAT, ENCODE, SOUND, WRITE = "all", "decode", "decode and treat", "encode", "sound", "write"
PARTS = (DECODE, TREAT, ENCODE, SOUND, WRITE, ALL)
TITLES = {
    DECODE: "Decoding alone",
    TREAT: "Decoding and treatments",
    ENCODE: "Encoding from raw frames",
    SOUND: "Audio alone",
    WRITE: "Writing the file",
    ALL: "The whole export",
}
