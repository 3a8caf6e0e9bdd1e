package bargelane.agent;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Looks that the service has not taken yet, a line each, numbered on and on: they outlive the
 * agent, and none is dropped before the service has said that it holds it. A line that a kill cut
 * off is not told.
 */
final class Spool {

  private static final Pattern LINE =
      Pattern.compile(
          "look ([0-9]{1,18}) ([0-9a-f-]{36} [0-9]{1,18} [0-9]{1,18}( ([0-9]{1,18}|-)){8})");

  /** Two weeks of minutes; what is older gives way. */
  static final int MOST = 14 * 24 * 60;

  private final Path file;
  private final Path counter;
  private final List<Look> looks = new ArrayList<>();
  private long next;
  private boolean behind;

  /** One line. */
  record Look(long number, String text) {
    String line() {
      return "look " + number + " " + text;
    }
  }

  Spool(Path dir) throws IOException {
    file = dir.resolve("looks");
    counter = dir.resolve("next-look");
    next = Files.exists(counter) ? number(Files.readString(counter).strip()) : 1;
    if (Files.exists(file)) {
      String kept = Files.readString(file);
      for (String line : kept.substring(0, kept.lastIndexOf('\n') + 1).split("\n")) {
        Matcher m = LINE.matcher(line);
        if (m.matches()) {
          looks.add(new Look(Long.parseLong(m.group(1)), m.group(2)));
        }
      }
      rewrite();
    }
    if (!looks.isEmpty()) {
      next = Math.max(next, looks.get(looks.size() - 1).number() + 1);
    }
  }

  private static long number(String text) {
    return text.matches("[0-9]{1,18}") ? Long.parseLong(text) : 1;
  }

  /**
   * Keeps a look.
   *
   * @throws IOException if it can't be written, as on a full disk: it is kept in memory until it
   *     can
   */
  void add(String text) throws IOException {
    Look look = new Look(next++, text);
    looks.add(look);
    boolean tooMany = looks.size() > MOST;
    if (tooMany) {
      looks.subList(0, looks.size() - MOST).clear();
    }
    boolean whole = tooMany || behind;
    behind = true;
    if (whole) {
      rewrite();
    } else {
      Files.writeString(
          file, look.line() + "\n", StandardOpenOption.CREATE, StandardOpenOption.APPEND);
    }
    behind = false;
  }

  /** The oldest ones, up to so many. */
  List<Look> oldest(int most) {
    return List.copyOf(looks.subList(0, Math.min(most, looks.size())));
  }

  int size() {
    return looks.size();
  }

  /** The service holds all up to a number: they go, and no such number is given again. */
  void held(long number) throws IOException {
    boolean any = looks.removeIf(l -> l.number() <= number);
    if (number >= next) {
      next = number + 1;
    }
    if (any) {
      rewrite();
    }
  }

  private void rewrite() throws IOException {
    StringBuilder text = new StringBuilder();
    looks.forEach(l -> text.append(l.line()).append('\n'));
    replace(counter, next + "\n");
    replace(file, text.toString());
  }

  private static void replace(Path file, String text) throws IOException {
    Path fresh = file.resolveSibling(file.getFileName() + ".new");
    Files.writeString(fresh, text);
    Files.move(fresh, file, StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
  }
}
