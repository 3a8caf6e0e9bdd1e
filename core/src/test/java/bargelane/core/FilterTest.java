package bargelane.core;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.filter.Filter;
import bargelane.core.filter.Filter.Field;
import bargelane.core.filter.Filter.Relation;
import bargelane.core.filter.FilterException;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

class FilterTest {

  private static Filter name(String value) {
    return new Filter.Text(Field.NAME, "", false, List.of(value));
  }

  @Test
  void theExampleOfTheDesignIsRead() {
    assertEquals(
        new Filter.And(
            List.of(
                new Filter.Text(Field.LABEL, "app", false, List.of("lending")),
                new Filter.Number(Field.MEMORY, Relation.MORE, 8L << 30))),
        Filter.parse("label.app = lending and memory > 8 GiB"));
  }

  @Test
  void andBindsTighterThanOrAndNotTighterThanBoth() {
    assertEquals(
        new Filter.Or(
            List.of(
                name("a"),
                new Filter.And(List.of(new Filter.Not(name("b")), new Filter.Flag(Field.ON))))),
        Filter.parse("name=a or not name=b and on"));
    assertEquals(
        new Filter.And(
            List.of(
                new Filter.Or(List.of(name("a"), name("b"))),
                new Filter.Not(new Filter.Flag(Field.FENCED)))),
        Filter.parse("( name = a OR name = b ) AND NOT fenced"));
  }

  @Test
  void valuesAreWordsOrQuotedOrLists() {
    assertEquals(name("Mill Street's"), Filter.parse("name = 'Mill Street''s'"));
    assertEquals(name("say \"so\""), Filter.parse("name = \"say \"\"so\"\"\""));
    assertEquals(
        new Filter.Text(Field.SITE, "", false, List.of("a", "b c")),
        Filter.parse("site among (a,'b c')"));
    assertEquals(
        new Filter.Not(new Filter.Text(Field.OS, "", true, List.of("9"))),
        Filter.parse("os lacks 9"));
    assertEquals(Filter.ALL, Filter.parse("  "));
  }

  @ParameterizedTest
  @CsvSource({
    "memory = 512 MiB, 536870912",
    "disk >= 1.5 GiB, 1610612736",
    "disk < 2TiB, 2199023255552",
    "cpus <= 4, 4",
    "disks != 3, 3",
    "memory > 1024 b, 1024"
  })
  void amountsAreInTheFieldsUnit(String text, long value) {
    assertEquals(value, ((Filter.Number) Filter.parse(text)).value());
  }

  @ParameterizedTest
  @ValueSource(
      strings = {"10.0.0.0/8", "192.0.2.7", "2001:db8::/32", "::1", "2001:db8:0:1:2:3:4:5"})
  void addressesAndBlocksAreRead(String block) {
    assertEquals(new Filter.Within(List.of(block)), Filter.parse("address = " + block));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "memry > 8 GiB | 0 | 'memry' is not a field",
        "label.app = lending and memry > 8 GiB | 24 | 'memry' is not a field",
        "label = x | 0 | 'label' is not a field",
        "name.x = y | 0 | 'name.x' is not a field",
        "label. = x | 0 | the label has no name",
        "memory > 8 | 10 | the amount needs a unit",
        "memory > lots | 9 | a number is missing",
        "memory has 8 GiB | 7 | 'memory' needs a comparison",
        "cpus > 1.5 | 7 | the number is not a whole amount, or is too large",
        "cpus > 99999999999999999999 | 7 | the number is not a whole amount, or is too large",
        "name > a | 5 | 'name' can't be compared by '>'",
        "name a | 5 | 'name' needs a comparison",
        "name = | 6 | a value is missing",
        "name = and on | 7 | a value is missing",
        "name = \"a | 7 | the quote is not closed",
        "name among a | 11 | a list is missing",
        "name among (a | 13 | the list is not closed",
        "(name = a | 9 | the bracket that opens at character 1 is not closed",
        "name = a name = b | 9 | 'name' can't follow here",
        "name = a and | 12 | a field is missing",
        "address = 10.0.0.256 | 10 | '10.0.0.256' is not an address or block",
        "address = 10.0.0.0/33 | 10 | '10.0.0.0/33' is not an address or block",
        "address among (10.0.0.1, 1::2::3) | 25 | '1::2::3' is not an address or block",
        "address has 10 | 8 | an address can't be compared by 'has'",
        "; drop table machine | 0 | a field is missing"
      })
  void errorsPointAtTheCharacter(String text, int position, String message) {
    FilterException e = assertThrows(FilterException.class, () -> Filter.parse(text));
    assertEquals(message, e.getMessage());
    assertEquals(position, e.position());
    assertTrue(!e.remedy().isEmpty());
  }

  @Test
  void anythingIsReadOrRefusedWithAPosition() {
    Random random = new Random(20261123);
    String[] pieces = {
      "name",
      "memory",
      "label.app",
      "=",
      "!=",
      "<",
      "~",
      "(",
      ")",
      "and",
      "or",
      "not",
      "in",
      "8",
      "GiB",
      "'",
      "\"",
      ",",
      " ",
      "\u00e9",
      "\u0000",
      "10.0.0.0/8",
      "on",
      "address",
      "."
    };
    for (int i = 0; i < 50_000; i++) {
      StringBuilder text = new StringBuilder();
      for (int n = random.nextInt(14); n > 0; n--) {
        text.append(pieces[random.nextInt(pieces.length)]).append(random.nextBoolean() ? " " : "");
      }
      try {
        Filter.parse(text.toString());
      } catch (FilterException e) {
        assertTrue(e.position() >= 0 && e.position() <= text.length(), text.toString());
      }
    }
    assertThrows(FilterException.class, () -> Filter.parse("(".repeat(3000)));
    assertThrows(FilterException.class, () -> Filter.parse("not ".repeat(900) + "on"));
    assertThrows(FilterException.class, () -> Filter.parse(" ".repeat(5000)));
  }
}
