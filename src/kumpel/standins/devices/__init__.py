"""The simulated recorders of each kind, by their written settings."""

from __future__ import annotations

from kumpel.standins.device import Device
from kumpel.standins.devices import (
    blood_pressure,
    dust,
    gas,
    jaw_muscle,
    noise,
    oximetry,
    resuscitation,
    training,
    vehicle,
)

DEVICES: dict[str, Device] = {
    each.DEVICE.kind: each.DEVICE
    for each in (noise, gas, dust, blood_pressure, oximetry, jaw_muscle, training, vehicle, resuscitation)
}
