"""Made-up prose of the observatory: sentences put together by seed."""

from __future__ import annotations

import random

_WHO = [
    "the keeper",
    "the junior observer",
    "Miss Tamsin Orrelby",
    "the harbour clerk",
    "Mr Aldous Penwick",
    "the night watch",
    "the visiting surveyor",
    "the gauge attendant",
    "Captain Ysolde Farrant",
    "the instrument maker",
]
_THING = [
    "the mercury barometer",
    "the float gauge",
    "the anemometer cups",
    "the sunshine recorder",
    "the north rain funnel",
    "the tide staff at Quernmouth",
    "the chronometer",
    "the signal lamp",
    "the wet bulb",
    "the recording drum",
]
_DID = [
    "cleaned",
    "compared",
    "read",
    "sealed again",
    "levelled",
    "carried to the tower",
    "oiled",
    "set back by four minutes",
    "checked against the spare",
    "packed in oilcloth",
]
_WHEN = [
    "before the morning reading",
    "on the second Tuesday of the month",
    "after the spring tide",
    "at a quarter past six",
    "during the easterly gale",
    "while the harbour lay in fog",
    "on the eve of the equinox",
    "between two squalls",
    "late in the afternoon",
]
_RESULT = [
    "the difference came to {a}.{b} millibars",
    "the trace showed a step of {a} centimetres",
    "no correction was found to be needed",
    "the pen had dried and {a} hours were lost",
    "the water stood {a}.{b} metres above the datum",
    "the wind had backed to the north-west",
    "the reading was {a} divisions too high",
    "two of the seven screws had worked loose",
    "the surge passed the outer mole {a} minutes early",
]
_REMARK = [
    "This agrees with what was noted in {y}.",
    "The cause is not yet understood.",
    "A copy of the sheet was sent to the Board of Moorings.",
    "Readers are asked to treat the figures for that week with caution.",
    "Nothing of the kind has been seen since the winter of {y}.",
    "The older instrument, though slower, proved the steadier of the two.",
    "It should be remembered that the station stands {a} metres above the quay.",
    "The entry was made in pencil and has been inked over since.",
    "Such gales are less frequent than the fishermen of Ellory suppose.",
]
_OPENING = [
    "In the course of the year",
    "As in former years",
    "According to the day book",
    "Towards the end of the month",
    "For reasons of economy",
    "Not without difficulty",
    "With the help of the pilots",
    "Contrary to expectation",
]


def sentence(chance: random.Random) -> str:
    """Return one sentence about the station's work."""
    values = {
        "a": chance.randint(2, 19),
        "b": chance.randint(0, 9),
        "y": chance.randint(1871, 1926),
    }
    draw = chance.random()
    who, thing, did = chance.choice(_WHO), chance.choice(_THING), chance.choice(_DID)
    if draw < 0.3:
        text = f"{chance.choice(_OPENING)}, {who} {did} {thing} {chance.choice(_WHEN)}."
    elif draw < 0.6:
        text = f"When {who} had {did} {thing}, {chance.choice(_RESULT).format(**values)}."
    elif draw < 0.8:
        text = (
            f"{who[0].upper()}{who[1:]} {did} {thing} {chance.choice(_WHEN)}; "
            f"{chance.choice(_RESULT).format(**values)}."
        )
    else:
        text = chance.choice(_REMARK).format(**values)
    if " had read " not in text and " had " in text and "set back" in text:
        text = text.replace("set back", "put back")
    return text


def paragraph(chance: random.Random, sentences: int) -> str:
    """Return a paragraph of so many sentences."""
    return " ".join(sentence(chance) for _ in range(sentences))


HEADINGS = [
    "The Gauges",
    "Winds and Gales",
    "Work of the Station",
    "Rainfall",
    "The Great Surge",
    "Instruments on Loan",
    "Fog and Visibility",
    "Harbour Signals",
    "Staff and Visitors",
    "Corrections to Earlier Volumes",
    "The Quernmouth Staff",
    "Barometers Compared",
]

ITALIAN = """Porto Ellory, 14 ottobre 1929

Egregio direttore,

ho ricevuto ieri la Sua lettera insieme con le tavole delle maree e La ringrazio di cuore. Il
mareografo della nostra stazione è rimasto fermo per tre giorni, perché la sabbia aveva ostruito
il pozzo; ora però funziona di nuovo e le curve sono più regolari di prima.

Durante la burrasca del 3 ottobre l’acqua ha raggiunto 2,84 metri sopra lo zero. Non si era mai
vista un’onda così alta in questa stagione. I pescatori dicono che il vento è girato due volte
nella stessa notte, e che verso l’alba si sentiva già odore di pioggia.

Le spedirò i fogli del registro appena saranno asciutti. La prego di salutare da parte mia la
signorina Orrelby e il vecchio custode, che è sempre stato gentile con me.

Con la più alta stima,

Ottavio Brancaleone di Sassoforte"""

RUSSIAN = """Порт Эллори, 2 ноября 1930 года

Уважаемый господин Пенвик!

Посылаю Вам таблицы наблюдений за сентябрь и октябрь. Барометр с северной башни показывает на
четыре деления больше, чем запасной, поэтому все значения исправлены и записаны в тетрадь заново.

Двадцать седьмого октября ветер усилился до шторма, и вода поднялась на 2,6 метра выше нуля.
Сторож успел закрыть люк колодца, однако лента самописца промокла, и шесть часов записи пропали.
К утру дождь прекратился, туман ушёл в море, и мы снова увидели маяк у мыса Кверн.

Прошу Вас прислать новые перья, чернила и две катушки бумаги. Если будет возможность, пришлите
также объяснительную записку к таблицам за прошлый год: мои ученики очень хотят её прочитать.

С глубоким уважением, наблюдатель второй станции

Элиза Верховцева-Лунд"""
