"""The months' names that exports are read by: English, German, French, Spanish, Dutch and Polish, whole and short.

No name stands for two months in any two of them. Another language is added as a line, if that stays so.
"""

import unicodedata
from collections.abc import Mapping

_NAMES = {
    "English": "january february march april may june july august september october november december",
    "English, short": "jan feb mar apr may jun jul aug sep oct nov dec",
    "English, in four letters": "jan feb mar apr may june july aug sept oct nov dec",
    "German": "januar februar märz april mai juni juli august september oktober november dezember",
    "German, short": "jan feb mrz apr mai jun jul aug sep okt nov dez",
    "Austrian": "jänner feber maerz april mai juni juli august september oktober november dezember",
    "French": "janvier février mars avril mai juin juillet août septembre octobre novembre décembre",
    "French, short": "janv févr mars avr mai juin juil août sept oct nov déc",
    "Spanish": "enero febrero marzo abril mayo junio julio agosto septiembre octubre noviembre diciembre",
    "Spanish, short": "ene feb mar abr may jun jul ago sep oct nov dic",
    "Dutch": "januari februari maart april mei juni juli augustus september oktober november december",
    "Dutch, short": "jan feb mrt apr mei jun jul aug sep okt nov dec",
    "Polish": "styczeń luty marzec kwiecień maj czerwiec lipiec sierpień wrzesień październik listopad grudzień",
    "Polish, of": "stycznia lutego marca kwietnia maja czerwca lipca sierpnia września października listopada grudnia",
    "Polish, short": "sty lut mar kwi maj cze lip sie wrz paź lis gru",
}


def letters_of(word: str) -> str:
    """Return a word in small letters without their marks, as names are compared."""
    plain = word.casefold().replace("ł", "l")
    return "".join(letter for letter in unicodedata.normalize("NFKD", plain) if not unicodedata.combining(letter))


MONTHS: Mapping[str, int] = {
    letters_of(name): number for names in _NAMES.values() for number, name in enumerate(names.split(), 1)
}
"""The number of each month by its name, as `letters_of` writes it."""
