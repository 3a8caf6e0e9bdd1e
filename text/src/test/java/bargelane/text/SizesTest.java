package bargelane.text;

import static org.junit.jupiter.api.Assertions.assertEquals;

import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class SizesTest {

  @ParameterizedTest
  @CsvSource({
    "0, 0B, 0B",
    "1023, 1023B, 1023B",
    "1024, 1KiB, 1KiB",
    "1536, 1.5KiB, 1536B",
    "1610612736, 1.5GiB, 1536MiB",
    "68719476736, 64GiB, 64GiB",
    "68719477248, 64GiB, 68719477248B",
    "225337344, 215MiB, 220056KiB",
    "-1048576, -1048576B, -1MiB",
    "9223372036854775807, 8192PiB, 9223372036854775807B"
  })
  void anAmountIsRoundedToThreeDigitsOrWrittenWhole(long bytes, String text, String exact) {
    assertEquals(text, Sizes.text(bytes));
    assertEquals(exact, Sizes.exact(bytes));
  }
}
