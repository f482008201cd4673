"""Texts that only the owner should read, each of another shape, and texts that everybody may."""

from __future__ import annotations

PRIVATE = (
    "rtmp://live.pier.example/app/abcd-efgh", "RTMPS://live.pier.example:443/app/x", "udp://@239.0.0.1:1234",
    "srt://10.0.0.4:9000?streamid=kite&passphrase=lines", "HTTPS://Pier.Example/a", "ssh://mara@studio",
    "redis://:kettle@10.0.0.3:6379/0", "mqtts://broker:8883", "file:///srv/match.json", "wss://lamp.pier.example/live",
    "http://10.0.0.3:8080/x?y=1", "fe80::1", "fe80::1%eth0", "2001:db8::7334", "::1", "::ffff:192.168.1.4",
    "2001:0db8:85a3:0000:0000:8a2e:0370:7334", "[::1]:8765", "10.0.0.3", "127.0.0.1:9", "192.168.1.20:8080/x?y=1",
    "pier.example/channels/mara", "www.pier.example/x", "counts.tv/live/mara", "bücher.example/x", "//nas/clips/a",
    "localhost:5050/now", "studio.local", "nas.lan", "chat.pier.example:6697", "mara.vane@pier.example",
    "mara:kettle@pier.example", "Bearer abcdefgh", "Basic bWFyYTprZXR0bGU=", "key=Zk93mP", "api_key: Zk93mPq2",
    "password: kettlestring", "password=kettles", "PASSWORD='kite and lines'", 'secret: "kite and lines"',
    "STREAM_KEY=live", "accessToken=abcd1234", "tes_Ab3dEf6hIj9k",
    "eyJhbGciOiJIUzI1NiJ9.eyJzdWIiOiJ4In0.abc", "sk-abcdefghijklmnopqrst", "dev_Zk3vQ0m2cXyT1nB8u",
    "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw", "live_1234567_AbCdEfGhIjKl", "deadbeef00112233", "3f2b8c9a1d4e4f5a",
    "3f2b8c9a-1d4e-4f5a-9b7c-0d1e2f3a4b5c", "MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw", "aGVsbG8gd29ybGQh+kites/3Lines==",
    "/home/mara/a.json", "/Users/mara/My Clips/a.mp4", "/root/.ssh/id", "/etc/passwd", "/Library/Preferences/x",
    "/Volumes/Disk", "/run/user/1000", "~/stats/a.json", "$HOME/stats", "C:\\Users\\Mara Vane\\stats.txt",
    "c:/Users/mara/a", "D:\\Clips", "%APPDATA%\\kite\\a.ini", "\\\\nas\\clips\\a.mp4", "AA:BB:CC:DD:EE:FF",
    "aa-bb-cc-dd-ee-ff", "aabb.ccdd.eeff",
)  # fmt: skip
PUBLIC = (
    "It ends at 20:14:05.", "match.kills / max(1, match.deaths)", "match.kills/match.deaths",
    "reach.members/stars.count", "reach.members is 1,284", "5:04", "Play → Talk",
    "windy_ladder_cup_evening_card", "version 0.4.0", "/api/events",
    "the_match_of_the_evening_is_over", "/o/abcd••", "Key: Space", "Set TESOURA_PASSWORD to one of 8 characters",
    "by key:tests", "2026-12-01 20:14:05", "20:14–20:20", "mara and otto/ines", "a::before", "1234567890123456",
    "match 12/16", "5.2/s", "Basic statistics", "kills: 12 deaths: 4", "#1e2a38", "windy-ladder-cup-2026", "@mara",
    "slots [4:2]", "10:9:8", "/static/js/x", "docs/feeds.md", "tesoura demo --seed 7", "on/off",
)  # fmt: skip
LONG = (
    "a", "key ", "a1", "a.b ", "1:", "a@", "/home/a b", "C:\\a ", "[::", "key:", "x/", "::1", "-", "a-", "a.a.",
    "bearer ", "ab1 ", "é", "//a", "\\\\a", "aa:", "a\u200b", "key: a", "%tmp%a ",
)  # fmt: skip
"""What a long text may repeat without taking long to look through."""
