"""Networks to look in: their words, what lies in them, where this machine stands in them."""

import unittest

from kumpel.link.networks import THIS_MACHINE, addresses_within, is_within, network_words


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
