"""Texts of timelines, a LUT and a table of old results, sound ones."""

EDL = """TITLE: CUT
FCM: NON-DROP FRAME

001  AX       V     C        00:00:00:10 00:00:01:00 01:00:00:00 01:00:00:15
* FROM CLIP NAME: a.mkv
002  AX       V     C        00:00:01:05 00:00:02:00 01:00:00:15 01:00:01:10
* FROM CLIP NAME: b.mkv
"""

XMEML = """<?xml version="1.0" encoding="UTF-8"?><!DOCTYPE xmeml><xmeml version="4"><sequence id="s">
<name>X</name><duration>40</duration><rate><timebase>25</timebase><ntsc>FALSE</ntsc></rate><media><video>
<track>
<clipitem id="c1"><name>a.mkv</name><duration>60</duration><rate><timebase>25</timebase><ntsc>FALSE</ntsc></rate>
<start>0</start><end>20</end><in>7</in><out>27</out><file id="f1"><name>a.mkv</name>
<pathurl>{a}</pathurl><rate><timebase>25</timebase><ntsc>FALSE</ntsc></rate><duration>60</duration>
<media><video/></media></file>
<filter><effect><name>Shiny</name><effectid>shiny</effectid><effecttype>filter</effecttype>
<mediatype>video</mediatype></effect></filter></clipitem>
<clipitem id="c2"><name>b.mkv</name><duration>60</duration><rate><timebase>25</timebase><ntsc>FALSE</ntsc></rate>
<start>20</start><end>40</end><in>0</in><out>20</out><file id="f2"><name>b.mkv</name>
<pathurl>{b}</pathurl><rate><timebase>25</timebase><ntsc>FALSE</ntsc></rate><duration>60</duration>
<media><video/></media></file></clipitem>
</track></video></media></sequence></xmeml>"""

CUBE = 'TITLE "x"\nLUT_3D_SIZE 2\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 1 1 1\n' + "0.5 0.25 1\n" * 8
TABLE = [
    ["Program", "Settings", "Export time (s)", "Date"],
    ["A 1", "fast", "61.5", "2026-01-02"],
    ["A 1", "fast", "62", "2026-01-03"],
    ["B", "fine", "1:02.5", ""],
    ["C", "", "00:01:10", "x"],
]
