"""Three made-up vans as their fitter would type them, for the quick job's tests."""

VANS = {
    "panel van": (
        "lfp",
        "100 Ah",
        "van",
        [
            "Inverter 1000W",
            "Fridge",
            "Lights",
            "Water pump",
            "Diesel heater",
            "USB",
            "Solar 200W",
            "DC-DC charger 30A",
        ],
    ),
    "camper": (
        "agm",
        "2 x 110 Ah",
        "motorhome",
        [
            "Fridge 45W",
            "LED lights 2A",
            "Pump",
            "Fan",
            "TV",
            "Split charge relay",
            "Alternator",
            "Mains charger 20A",
        ],
    ),
    "boat": (
        "flooded",
        "6V 225Ah x 2",
        "sailboat",
        [
            "Fridge",
            "Cabin lights 3A",
            "Bilge pump",
            "Water pump",
            "Nav lights",
            "VHF radio",
            "Solar 100W",
            "Autopilot 5A",
        ],
    ),
}
"""Chemistry, label, vehicle and lines, by name."""
