"""Networks to look in: their words, what lies in them, where this machine stands in them."""

import unittest

from kumpel.link.networks import THIS_MACHINE, address_parts, address_words, addresses_within, is_within, network_words


class Words(unittest.TestCase):
    def test_any_address_of_a_network_names_it(self) -> None:
        for text, words in {
            "192.168.10.0/24": "192.168.10.0/24",
            " 192.168.10.7/24 ": "192.168.10.0/24",
            "10.1.2.3": "10.1.2.3/32",
            "fd00:10::5/64": "fd00:10::/64",
            "::1": "::1/128",
        }.items():
            self.assertEqual(network_words(text), words)

    def test_what_is_none_is_refused(self) -> None:
        for text in ("", "dock", "192.168.10", "192.168.10.0/33", "10.0.0.0/8/8", "fe80::1%eth0/64"):
            with self.assertRaises(ValueError, msg=text):
                network_words(text)


class Within(unittest.TestCase):
    def test_addresses(self) -> None:
        inside = ("192.168.10.0/24", "fe80::/10")
        for host, found in {
            "192.168.10.255": True,
            "192.168.11.0": False,
            "fe80::1%eth0": True,
            "fd00::1": False,
            "recorder.local": False,
        }.items():
            self.assertEqual(is_within(host, inside), found, host)

    def test_this_machine_is_on_loopback_and_on_no_network_for_documentation(self) -> None:
        self.assertIn("127.0.0.1", addresses_within(THIS_MACHINE))
        self.assertEqual(addresses_within(["198.51.100.0/24", "2001:db8::/32"]), [])  # RFC 5737, RFC 3849
        self.assertEqual(addresses_within([]), [])


class Addresses(unittest.TestCase):
    def test_words_and_parts(self) -> None:
        for text, words, parts in (
            (" 192.168.10.20:7400 ", "192.168.10.20:7400", ("192.168.10.20", 7400)),
            ("[FD00:10::0005]:07400", "[fd00:10::5]:7400", ("fd00:10::5", 7400)),
            ("Dock-3.Plant.local:80", "dock-3.plant.local:80", ("dock-3.plant.local", 80)),
        ):
            self.assertEqual(address_words(text), words)
            self.assertEqual(address_parts(words), parts)

    def test_what_is_none_is_refused(self) -> None:
        for text in (
            "",
            "dock",
            "dock:",
            ":7400",
            "dock:0",
            "dock:65536",
            "fd00::5:7400",
            "[dock]:1",
            "[::1]",
            "a b:1",
            "-a:1",
            "http://dock:80",
            "dock:7400/x",
        ):
            with self.assertRaises(ValueError, msg=text):
                address_words(text)
