"""What is measured over time, in which units, between which values, and how it goes up and down: physical quantities by name and
by unit."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

_LINES = """
air temperature / outdoor temperature / outside temperature / ambient temperature : °C C celsius degC : -4 31 : .12 .25 .1
water temperature / sea temperature / pool temperature : °C C celsius : 4 24 : .02 .28 .08
cold store temperature / fridge temperature / refrigerator temperature : °C C celsius : 1.5 6.5 : .06 0 .12
freezer temperature : °C C celsius : -24 -16 : .06 0 .12
cpu temperature / core temperature / board temperature / device temperature : °C C : 34 71 : .14 .04 .12 .02
motor temperature / bearing temperature / oil temperature / coolant temperature : °C C : 38 86 : .14 .06 .12 .02
body temperature / temperature body / skin temperature / rectal temperature : °C C celsius : 36.1 37.6 : .12 0 .1
temperature : °C C celsius degC deg_c degrees : 11 29 : .16 .14 .08
humidity / relative humidity / moisture of air / rh : % pct percent %rh rh : 32 88 : -.15 -.1 .14 : 0 100
soil moisture / moisture / water content : % pct percent vol% m3/m3 : 14 42 : -.03 -.12 .2 : 0 100
barometric pressure / air pressure / atmospheric pressure / pressure : hPa mbar mb : 988 1036 : 0 0 .34 .004
line pressure / water pressure / pipe pressure / tyre pressure / oil pressure : bar kPa psi : 1.6 6.2 : -.08 0 .12
co2 / carbon dioxide : ppm : 410 1450 : .24 0 .14 .015 : 400 -
carbon monoxide / co : ppm mg/m3 mg/m³ : 0.1 6 : .15 -.05 .15 .02 : 0 -
illuminance / light / lux / brightness / light level / daylight : lx lux klx : -24000 62000 : .36 .05 .04 : 0 -
solar radiation / irradiance / radiation / par / global radiation : W/m2 W/m² w_m2 µmol/m²/s : -480 980 : .36 .08 .04 : 0 -
uv index / uv : uvi : -5 9 : .34 .1 .03 : 0 11
ph / acidity : pH ph_units : 6.2 8.3 : .03 0 .12 .008
conductivity / electrical conductivity / ec : µS/cm uS/cm mS/cm us_cm : 320 940 : .02 .06 .16
turbidity : NTU FNU : 0.4 24 : 0 .06 .24 .02 : 0 -
dissolved oxygen / oxygen : mg/l mg/L ppm : 6.2 11.8 : .1 -.2 .1
salinity : PSU psu ppt : 28 35.5 : .01 .04 .18
chlorophyll : µg/l ug/l : 0.8 14 : .03 .12 .2 .02 : 0 -
nitrate / nitrates / ammonia / phosphate : mg/l mg/L ppm : 0.4 18 : 0 .08 .2 .02 : 0 -
water level / river level / tide level / stage / gauge height / groundwater level : m cm mm : 0.6 3.4 : .03 -.12 .22 .005
tank level / fill level / level / silo level / filling : % pct percent : 18 94 : -.05 0 .28 .006 : 0 100
flow / flow rate / discharge : l/min l/s m3/h m³/h m³/s lpm : 4 46 : .14 -.05 .16 .015 : 0 -
voltage / mains voltage / line voltage : V v volt volts : 227 236 : -.08 0 .14 .02
battery voltage / supply voltage : V v volt volts mV : 3.4 4.1 : .02 -.03 .3 .006
current / amperage : A amp amps ampere mA : 0.6 14 : .2 0 .16 .03 : 0 -
power / active power / load power / output / electricity : kW kw W watt watts : 0.4 7.8 : .24 -.06 .12 .03 : 0 -
frequency : Hz hz : 49.93 50.07 : 0 0 .2 .04
power factor : - : 0.82 0.99 : 0 0 .16 .02 : 0 1
vibration : mm/s mm_s g : 0.6 6.4 : .06 0 .2 .03 : 0 -
noise / sound / sound level / noise level : dB dBA db dB(A) : 34 78 : .2 0 .1 .03
battery / battery level / charge / state of charge : % pct percent : 22 98 : .02 0 .3 .004 : 0 100
signal / signal strength / rssi : dBm dbm : -104 -58 : 0 0 .16 .04
snr / signal to noise : - : -4 11 : 0 0 .16 .05
wind speed / wind / windspeed : m/s km/h kn kt mph : 0.2 15 : .12 -.06 .2 .04 : 0 -
pm25 / pm 2 5 / pm2 5 / fine dust / particulates / particulate matter : µg/m³ ug/m3 µg/m3 ugm3 : 3 34 : .06 -.12 .2 .02 : 0 -
pm10 / pm 10 / dust : µg/m³ ug/m3 µg/m3 : 6 58 : .08 -.1 .2 .02 : 0 -
no2 / no 2 / nitrogen dioxide : µg/m³ ug/m3 ppb : 6 62 : .14 -.1 .16 .02 : 0 -
o3 / o 3 / ozone : µg/m³ ug/m3 ppb : 18 118 : .16 .16 .12 .02 : 0 -
voc / tvoc / air quality / aqi / iaq : ppb index : 30 190 : .12 0 .18 .02 : 0 -
hive weight / scale weight / net weight of hive : kg g t : 24 58 : .01 .14 .14 .003 : 0 -
distance / depth / snow depth / snow height : m cm mm : 0.4 3.2 : .02 -.1 .2 .006 : 0 -
rotation / rpm / rotational speed / motor speed : rpm U/min 1/min : 640 2900 : .12 0 .14 .015 : 0 -
torque : Nm : 12 180 : .1 0 .14 .02 : 0 -
dose rate / radiation dose / gamma : µSv/h uSv/h nSv/h : 0.08 0.19 : 0 0 .14 .04 : 0 -
methane / gas : ppm % : 1.8 2.6 : .06 -.04 .16 .02 : 0 -
cpu / cpu usage / memory / memory usage / load / utilisation / usage : % pct percent : 6 82 : .16 0 .14 .03 : 0 100
heart rate / pulse / pulse rate : bpm /min 1/min : 56 98 : .16 0 .12 .03
systolic / systolic pressure / blood pressure : mmHg mmhg : 104 148 : .1 0 .1 .03
diastolic / diastolic pressure : mmHg mmhg : 62 92 : .1 0 .1 .03
oxygen saturation / spo2 / spo 2 / saturation : % pct : 93 99.5 : .03 0 .14 .05 : - 100
respiratory rate / respiration rate / breathing rate : /min 1/min bpm : 12 21 : .08 0 .12 .05
glucose / blood glucose / blood sugar : mmol/l mg/dl : 4.2 8.8 : .18 0 .1 .04
humidity soil / leaf wetness : % : 10 80 : -.2 0 .16 .02 : 0 100
"""

# what laboratories find, each in a sample by itself: names, units, and between which values nearly all lie
_ANALYTES = """
haemoglobin / hemoglobin / hb / hgb : g/l : 112 172
cholesterol / total cholesterol : mmol/l : 3.2 6.9
ldl / ldl cholesterol : mmol/l : 1.4 4.6
hdl / hdl cholesterol : mmol/l : 0.9 2.3
triglycerides / triglyceride : mmol/l : 0.5 2.9
creatinine : µmol/l umol/l : 48 122
urea / bun : mmol/l : 2.4 8.6
sodium : mmol/l mg/l : 132 147
potassium : mmol/l mg/l : 3.3 5.4
calcium : mmol/l mg/l : 2.1 2.7
crp / c reactive protein : mg/l : 0.4 14
tsh : mU/l mIU/l : 0.4 4.6
alt / ast / ggt / gamma gt : U/l : 9 58
bilirubin : µmol/l umol/l : 3 22
albumin : g/l : 33 50
ferritin : µg/l ug/l : 18 310
hba1c / a1c : % mmol/mol : 4.8 7.9
wbc / white blood cells / leucocytes / leukocytes : 10^9/l G/l : 3.6 11.4
rbc / red blood cells / erythrocytes : 10^12/l T/l : 3.8 5.8
platelets / plt / thrombocytes : 10^9/l G/l : 140 410
lead : µg/l ug/l : 0.2 9
iron : mg/l : 0.02 0.6
chloride : mg/l : 8 160
sulphate / sulfate : mg/l : 12 210
manganese / copper / zinc : mg/l : 0.01 0.4
hardness / total hardness : °dH mg/l : 4 22
caffeine : mg/l : 12 180
ethanol / alcohol : % : 0.2 13.8
"""

# what meters count, which only rises: names, units, what stands there at the beginning, and what a year adds
_COUNTERS = """
energy / electricity meter / current meter / power meter / energy meter / kwh : kWh kwh MWh Wh : 1800 41000 : 1500 5200
water meter / water volume / cold water / hot water / water : m3 m³ : 60 1400 : 55 210
gas meter / gas volume / gas consumption : m3 m³ : 900 16000 : 600 2300
heat / warmth / heat meter / warmth meter / heating meter / heating energy : MWh GJ : 12 240 : 6 19
odometer / mileage / operating hours / running hours / hours run / engine hours : km h hours : 400 9000 : 350 1900
"""


@dataclass(frozen=True, slots=True)
class Quantity:
    """A physical quantity: the range in which nearly all of its values lie, in the first of its units, and how far each swing
    goes either way, in parts of that range. `rise`: what a year adds, of what only rises."""

    name: str
    units: tuple[str, ...]
    low: float
    high: float
    day: float = 0.0
    year: float = 0.0
    drift: float = 0.0
    noise: float = 0.012
    minimum: str | None = None
    maximum: str | None = None
    rise: tuple[float, float] | None = None
    alone: bool = False  # measured in each thing once


@lru_cache(maxsize=1)
def _quantities() -> tuple[tuple[tuple[tuple[str, ...], ...], Quantity], ...]:
    return tuple(
        (tuple(tuple(name.split()) for name in line.split(" : ")[0].split(" / ")), read(*line.split(" : ")))
        for lines, read in ((_LINES, _swinging), (_ANALYTES, _alone), (_COUNTERS, _counting))
        for line in lines.strip().splitlines()
    )


def _swinging(names: str, units: str, span: str, swings: str, ends: str = "- -") -> Quantity:
    (low, high), (day, year, drift, *noise) = _numbers(span), _numbers(swings)
    least, most = (None if end == "-" else end for end in ends.split())
    told = Quantity(names.split(" / ")[0], tuple(units.split()), low, high, day, year, drift, minimum=least, maximum=most)
    return replace(told, noise=noise[0]) if noise else told


def _alone(names: str, units: str, span: str) -> Quantity:
    low, high = _numbers(span)
    return Quantity(names.split(" / ")[0], tuple(units.split()), low, high, alone=True)


def _counting(names: str, units: str, span: str, rise: str) -> Quantity:
    (low, high), (slow, fast) = _numbers(span), _numbers(rise)
    return Quantity(names.split(" / ")[0], tuple(units.split()), low, high, rise=(slow, fast))


def _numbers(text: str) -> list[float]:
    return [float(number) for number in text.split()]


@lru_cache(maxsize=1)
def _by_name() -> dict[tuple[str, ...], Quantity]:
    return {words: quantity for several, quantity in _quantities() for words in several}


@lru_cache(maxsize=1)
def _by_unit() -> dict[str, Quantity]:
    units: dict[str, Quantity] = {}
    for unit, name in _MEANT.items():
        units[unit.lower()] = _by_name()[tuple(name.split())]
    for _, quantity in _quantities():
        for unit in quantity.units:
            units.setdefault(unit.lower(), quantity)
    return {unit: quantity for unit, quantity in units.items() if unit != "-"}


# what a unit that several quantities have is mostly of
_MEANT = {
    "%": "humidity", "percent": "humidity", "pct": "humidity", "°C": "temperature", "C": "temperature", "celsius": "temperature",
    "degC": "temperature", "ppm": "co2", "m": "water level", "bpm": "heart rate", "m3": "water meter", "m³": "water meter",
    "µg/m³": "pm25", "ug/m3": "pm25", "mg/l": "dissolved oxygen", "bar": "line pressure", "V": "voltage",
}  # fmt: skip
_LONGEST = 4  # words of a name


@lru_cache(maxsize=4096)
def quantity_named(words: tuple[str, ...]) -> Quantity | None:
    """The quantity that a name tells of, wherever in it: the one with the most words, of equals the last."""
    known = _by_name()
    for length in range(min(_LONGEST, len(words)), 0, -1):
        for start in range(len(words) - length, -1, -1):
            if (found := known.get(words[start : start + length])) is not None:
                return found
    return None


def quantity_in(unit: str) -> Quantity | None:
    """The quantity that is mostly told in a unit."""
    return _by_unit().get(unit.strip().lower())
