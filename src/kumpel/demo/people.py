"""The people of Tarnfels. All made up."""

from __future__ import annotations

LOGIN, PASSWORD, OFFICER = "officer", "tarnfels-demo", "Runa Halvorsen"
"""Who signs in."""

TEAMS: dict[str, tuple[str, ...]] = {
    "Crusher hall": (
        "Ida Brandvik",
        "Leila Haddad",
        "Oskar Nyland",
        "Fenna de Wit",
        "Mirko Vidas",
        "Signe Ravn",
        "Bartek Zielny",
    ),
    "Mill": ("Tomas Ek", "Greta Lindqvist-Ofstad", "Hamid Sorush", "Runa Eide", "Paulo Tavira", "Agnes Moberg"),
    "Blasting crew": ("Asha Rao", "Nils Aune", "Viktor Drahos", "Ylva Stenmark", "Kofi Badu", "Dagny Holt"),
    "Works clinic": ("Petter Lunde", "Marit Solheim", "Ruth Amsel", "Emil Farkas", "Torvald Bringsli", "Noor Yildiz"),
    "Rescue squad": (
        "Sanna Heikkilä",
        "Arne Skogheim",
        "Lovise Dahlen",
        "Piet Verhage",
        "Kari Ulvestad",
        "Milan Hruby",
    ),
    "Haulage": (
        "Jonas Tveter",
        "Astrid Bakkevold",
        "Goran Petric",
        "Hedda Morke",
        "Luc Ferrand",
        "Inger Tangen",
        "Sven Aspelund",
        "Maja Korsvik",
        "Bela Szenti",
    ),
}
STANDS_IN = {"Mill control room": "Mill"}
"""Places where recorders stand and nobody wears them, with their team."""
NOISE_WEARERS: dict[str, tuple[str, float, float]] = {
    # name: task of the day, usual level, level of the loud task, dB(A)
    "Ida Brandvik": ("feed control", 80.0, 93.0),
    "Leila Haddad": ("feed control", 77.5, 86.0),
    "Oskar Nyland": ("belt patrol", 78.5, 88.5),
    "Fenna de Wit": ("control room", 70.0, 76.0),
    "Mirko Vidas": ("liner change", 82.0, 95.0),
    "Tomas Ek": ("mill floor", 79.0, 87.0),
    "Hamid Sorush": ("bagging", 76.0, 82.5),
}
PLACES = {"Crusher hall": "crusher hall", "Mill": "mill floor"}


def team_of(name: str) -> str:
    return next(team for team, names in TEAMS.items() if name in names)
