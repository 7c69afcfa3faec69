"""Names of months in the languages of the table below, whole and cut short."""

from __future__ import annotations

from functools import cache

from wetcomb.match.letter_case import fold_case

__all__ = ["LANGUAGES", "find_month"]

#: The twelve names by language, as they stand in dates; other ways to write one behind |.
LANGUAGES = {
    "en": "january february march april may june july august september october november december",
    "de": "januar|jänner februar|feber märz|maerz|mrz april mai juni juli august september oktober november dezember",
    "fr": "janvier février|fevrier|févr|fevr mars avril mai juin juillet|juil août|aout septembre octobre novembre décembre|decembre",
    "es": "enero febrero marzo abril mayo junio julio agosto septiembre|setiembre octubre noviembre diciembre",
    "it": "gennaio febbraio marzo aprile maggio giugno luglio agosto settembre ottobre novembre dicembre",
    "pt": "janeiro fevereiro março|marco abril maio junho julho agosto setembro outubro novembro dezembro",
    "nl": "januari februari maart|mrt april mei juni juli augustus september oktober november december",
    "pl": "stycznia|styczeń lutego|luty marca|marzec kwietnia|kwiecień maja|maj czerwca|czerwiec lipca|lipiec sierpnia|sierpień września|wrzesień października|październik listopada|listopad grudnia|grudzień",
    "cs": "ledna|leden února|únor března|březen dubna|duben května|květen června|červen července|červenec srpna|srpen září října|říjen listopadu prosince|prosinec",
    "sv": "januari februari mars april maj juni juli augusti september oktober november december",
    "da": "januar februar marts april maj juni juli august september oktober november december",
    "no": "januar februar mars april mai juni juli august september oktober november desember",
    "fi": "tammikuuta|tammikuu helmikuuta|helmikuu maaliskuuta|maaliskuu huhtikuuta|huhtikuu toukokuuta|toukokuu kesäkuuta|kesäkuu heinäkuuta|heinäkuu elokuuta|elokuu syyskuuta|syyskuu lokakuuta|lokakuu marraskuuta|marraskuu joulukuuta|joulukuu",
    "hu": "január február március április május június július augusztus szeptember október november december",
    "ro": "ianuarie februarie martie aprilie mai iunie iulie august septembrie octombrie noiembrie decembrie",
    "tr": "ocak şubat mart nisan mayıs haziran temmuz ağustos eylül ekim kasım aralık",
    "ru": "января|январь февраля|февраль марта|март апреля|апрель мая|май июня|июнь июля|июль августа|август сентября|сентябрь октября|октябрь ноября|ноябрь декабря|декабрь",
    "uk": "січня|січень лютого|лютий березня|березень квітня|квітень травня|травень червня|червень липня|липень серпня|серпень вересня|вересень жовтня|жовтень листопада|листопад грудня|грудень",
    "el": "ιανουαρίου|ιανουάριος φεβρουαρίου|φεβρουάριος μαρτίου|μάρτιος απριλίου|απρίλιος μαΐου|μάιος ιουνίου|ιούνιος ιουλίου|ιούλιος αυγούστου|αύγουστος σεπτεμβρίου|σεπτέμβριος οκτωβρίου|οκτώβριος νοεμβρίου|νοέμβριος δεκεμβρίου|δεκέμβριος",
    "ar": "يناير فبراير مارس أبريل|ابريل مايو يونيو يوليو أغسطس|اغسطس سبتمبر أكتوبر|اكتوبر نوفمبر ديسمبر",
}
_SHORTEST = 3  # letters of a name that is cut short
_LONGER = {"fi": 4}  # where nobody cuts it so short: `mar` is no marraskuu


@cache
def find_month(word: str, languages: tuple[str, ...] = ()) -> int:
    """Return the month that a word names, from 1; 0 if it names none, or not the same in all languages.

    A whole name counts before one that is cut short.
    """
    bare = fold_case(word.rstrip("."))
    whole, cut = set[int](), set[int]()
    for language in languages or LANGUAGES:
        shortest = _LONGER.get(language, _SHORTEST)
        for month, names in enumerate(LANGUAGES[language].split(), 1):
            for name in map(fold_case, names.split("|")):
                if name == bare:
                    whole.add(month)
                elif len(bare) >= shortest and name.startswith(bare):
                    cut.add(month)
    found = whole or cut
    return found.pop() if len(found) == 1 else 0
