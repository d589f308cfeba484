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
