package bargelane.service.backup;

import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Counts the rows in statements that PostgreSQL's pg_restore writes: those between a line {@code
 * COPY public.TABLE (...) FROM stdin;} and a line {@code \.}.
 */
final class CopiedRows {

  private static final Pattern BEGIN =
      Pattern.compile("COPY public\\.\"?([a-z0-9_]+)\"? \\(.*\\) FROM stdin;");

  /** No more of a line is looked at. */
  private static final int LOOK = 4096;

  private CopiedRows() {}

  /** Adds the rows of each table, reading to the end. */
  static void count(InputStream in, Map<String, Long> rows) throws IOException {
    byte[] line = new byte[LOOK];
    int length = 0;
    String table = null;
    for (int b = in.read(); b >= 0; b = in.read()) {
      if (b != '\n') {
        if (length < LOOK) {
          line[length] = (byte) b;
        }
        length++;
        continue;
      }
      if (table == null) {
        if (length > 5 && line[0] == 'C' && length <= LOOK) {
          Matcher m = BEGIN.matcher(new String(line, 0, length, StandardCharsets.UTF_8));
          if (m.matches()) {
            table = m.group(1);
          }
        }
      } else if (length == 2 && line[0] == '\\' && line[1] == '.') {
        table = null;
      } else {
        rows.merge(table, 1L, Long::sum);
      }
      length = 0;
    }
  }
}
