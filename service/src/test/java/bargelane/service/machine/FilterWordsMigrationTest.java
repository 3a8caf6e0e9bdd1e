package bargelane.service.machine;

import static org.junit.jupiter.api.Assertions.assertEquals;

import bargelane.core.filter.Filter;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class FilterWordsMigrationTest {

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "name ~ lending and not name ~ elending|name has lending and not name has elending",
        "os !~'x' or name~a|os lacks 'x' or name has a",
        "address in (10.0.0.0/8, ::1)|address among (10.0.0.0/8, ::1)",
        "label.in in ('in (a)', b)|label.in among ('in (a)', b)",
        "name = \"a ~ b\" and site != 'it''s ~ in (c)'|name = \"a ~ b\" and site != 'it''s ~ in (c)'",
        "cpus > 4 and on|cpus > 4 and on"
      })
  void storedFiltersOfBeforeSayTheSameInWords(String before, String now) {
    assertEquals(now, FilterWordsMigration.words(before));
    Filter.parse(now);
  }
}
