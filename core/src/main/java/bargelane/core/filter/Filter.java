package bargelane.core.filter;

import java.util.List;
import java.util.Optional;

/**
 * A choice of machines, as people write it: {@code label.app = lending and memory > 8 GiB}. The
 * grammar and the fields are in docs/filters.md.
 */
public sealed interface Filter {

  /** Everything. */
  Filter ALL = new All();

  record All() implements Filter {}

  record And(List<Filter> all) implements Filter {}

  record Or(List<Filter> any) implements Filter {}

  record Not(Filter one) implements Filter {}

  /** A machine is in a state. */
  record Flag(Field field) implements Filter {}

  /**
   * A text field is one of some values, or contains one.
   *
   * @param label of a label, its key; otherwise empty
   */
  record Text(Field field, String label, boolean part, List<String> values) implements Filter {}

  /** An address of the machine lies in a block of RFC 4632 notation, or is the address itself. */
  record Within(List<String> blocks) implements Filter {}

  /** A number stands in a relation to a value, in the field's own unit (bytes for capacities). */
  record Number(Field field, Relation relation, long value) implements Filter {}

  enum Relation {
    EQUAL("="),
    UNEQUAL("!="),
    LESS("<"),
    AT_MOST("<="),
    MORE(">"),
    AT_LEAST(">=");

    private final String sign;

    Relation(String sign) {
      this.sign = sign;
    }

    public String sign() {
      return sign;
    }

    static Optional<Relation> of(String sign) {
      for (Relation r : values()) {
        if (r.sign.equals(sign)) {
          return Optional.of(r);
        }
      }
      return Optional.empty();
    }
  }

  /** What a field holds. */
  enum Kind {
    TEXT,
    COUNT,
    BYTES,
    ADDRESS,
    FLAG
  }

  /** What can be asked of a machine. */
  enum Field {
    NAME("name", Kind.TEXT),
    ID("id", Kind.TEXT),
    SITE("site", Kind.TEXT),
    OS("os", Kind.TEXT),
    FIRMWARE("firmware", Kind.TEXT),
    WAVE("wave", Kind.TEXT),
    NETWORK("network", Kind.TEXT),
    LABEL("label", Kind.TEXT),
    ADDRESS("address", Kind.ADDRESS),
    CPUS("cpus", Kind.COUNT),
    DISKS("disks", Kind.COUNT),
    MEMORY("memory", Kind.BYTES),
    DISK("disk", Kind.BYTES),
    ON("on", Kind.FLAG),
    FENCED("fenced", Kind.FLAG),
    VANISHED("vanished", Kind.FLAG);

    private final String word;
    private final Kind kind;

    Field(String word, Kind kind) {
      this.word = word;
      this.kind = kind;
    }

    public String word() {
      return word;
    }

    public Kind kind() {
      return kind;
    }

    static Optional<Field> of(String word) {
      for (Field f : values()) {
        if (f.word.equalsIgnoreCase(word)) {
          return Optional.of(f);
        }
      }
      return Optional.empty();
    }
  }

  /**
   * Reads an expression; an empty one is everything.
   *
   * @throws FilterException pointing at the character that can't be read
   */
  static Filter parse(String text) {
    return new FilterParser(text).parse();
  }
}
