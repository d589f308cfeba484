"""Small vehicles to simulate."""

from tests.core.path.rigs import analysed, bank, sound
from volnik.core.rig.devices import Device
from volnik.core.rig.use import Use
from volnik.core.simulation.vehicle import vehicle_of

USE = Use(drive_days=5, drive_h=2.0, shore_nights=3)


def van(
    chemistry="lfp",
    *,
    ah=200.0,
    use=USE,
    latitude=45.0,
    chargers=("solar", "mains"),
    loads=(("fridge", 3.5),),
    the_bank=None,
    **figures,
):
    """A van whose negatives all land on the rig side; `figures` are of every charger."""
    devices = [
        Device(id=f"{kind}{at}", kind=kind, name=kind.capitalize(), current_a=amps)
        for at, (kind, amps) in enumerate(loads)
    ]
    for kind in chargers:
        devices.append(Device(id=kind, kind=kind, name=kind.capitalize(), **figures))
    return vehicle_of(
        analysed(sound(devices, the_bank or bank(chemistry, ah=ah))), use=use, latitude=latitude
    )


def never_filled():
    """A large bank on a small engine charger that runs for minutes a day."""
    use = USE.changed(shore_nights=0, drive_h=0.3)
    return van("agm", ah=300.0, use=use, chargers=("dcdc",), loads=(("fridge", 5.0),), most_a=10.0)


def random_vehicle(rng):
    """A van drawn at random, sound in what its makers allow."""
    chemistry = str(rng.choice(["lfp", "agm", "gel", "flooded"]))
    spans = {"lfp": (14.0, 14.5), "agm": (14.3, 14.7), "gel": (14.0, 14.3), "flooded": (14.3, 14.8)}
    chargers = [kind for kind in ("solar", "mains", "dcdc") if rng.random() < 0.6] or ["solar"]
    ah = float(rng.choice([100, 150, 200, 300, 400]))
    return van(
        chemistry,
        ah=ah,
        use=USE.changed(drive_days=int(rng.integers(0, 6)), shore_nights=int(rng.integers(0, 5))),
        chargers=tuple(chargers),
        loads=(("fridge", round(float(rng.uniform(1.5, 5.0)), 1)),),
        absorption_v=round(float(rng.uniform(*spans[chemistry])), 1),
        float_v=round(float(rng.uniform(13.4, 13.7)), 1),
        most_a=round(ah * float(rng.uniform(0.03, 0.25)), 0),
    )
