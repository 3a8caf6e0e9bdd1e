package bargelane.service.http;

import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import com.fasterxml.jackson.annotation.JsonSetter;
import com.fasterxml.jackson.annotation.Nulls;
import com.fasterxml.jackson.core.JacksonException;
import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.StreamReadConstraints;
import com.fasterxml.jackson.core.exc.StreamConstraintsException;
import com.fasterxml.jackson.databind.DeserializationContext;
import com.fasterxml.jackson.databind.DeserializationFeature;
import com.fasterxml.jackson.databind.JsonDeserializer;
import com.fasterxml.jackson.databind.JsonMappingException;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.deser.std.StdScalarDeserializer;
import com.fasterxml.jackson.databind.exc.InvalidNullException;
import com.fasterxml.jackson.databind.module.SimpleModule;
import com.fasterxml.jackson.datatype.jsr310.deser.InstantDeserializer;
import java.io.IOException;
import java.io.InputStream;
import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.Set;
import java.util.concurrent.Semaphore;
import java.util.concurrent.TimeUnit;

/** Request bodies. Unlike what the service stored itself, what comes in may be anything. */
final class Bodies {

  /** Characters of a text. */
  private static final int LONGEST_TEXT = 2000;

  /** What may be longer: whole lists, documents and keys. */
  private static final Set<String> LONG = Set.of("csv", "yaml", "ranges", "secret", "filter");

  private static final int LONGEST_SECRET = 64 << 10;
  private static final int DEEPEST = 32;
  private static final int LONGEST_NUMBER = 40;
  private static final int LARGEST_EXPONENT = 30;
  private static final Instant FIRST = Instant.parse("1970-01-01T00:00:00Z");
  private static final Instant LAST = Instant.parse("9999-12-31T23:59:59Z");

  /** Bodies above this are read and worked on one after the other: they take memory. */
  private static final int LARGE = 4 << 20;

  private static final long LARGE_WAIT_SECONDS = 10;
  private static final long LONGEST_READ_NS = TimeUnit.SECONDS.toNanos(120);
  private static final Semaphore LARGE_ONES = new Semaphore(1, true);

  private static final ObjectMapper STRICT = strict();

  private Bodies() {}

  private static ObjectMapper strict() {
    ObjectMapper mapper =
        Json.MAPPER
            .copy()
            .enable(DeserializationFeature.FAIL_ON_UNKNOWN_PROPERTIES)
            .enable(DeserializationFeature.FAIL_ON_TRAILING_TOKENS)
            .enable(JsonParser.Feature.STRICT_DUPLICATE_DETECTION)
            .setDefaultSetterInfo(JsonSetter.Value.forContentNulls(Nulls.FAIL))
            .registerModule(
                new SimpleModule("what comes in")
                    .addDeserializer(String.class, new Text())
                    .addDeserializer(BigDecimal.class, new Decimal())
                    .addDeserializer(Instant.class, new Moment()));
    mapper
        .getFactory()
        .setStreamReadConstraints(
            StreamReadConstraints.builder()
                .maxNestingDepth(DEEPEST)
                .maxNumberLength(LONGEST_NUMBER)
                .maxStringLength(Endpoints.LIST_BODY)
                .build());
    return mapper;
  }

  /** What is said of a value that can be read and not taken. */
  private static JsonMappingException invalid(JsonParser p, String why) {
    return new ValueException(p, why);
  }

  private static final class ValueException extends JsonMappingException {
    private static final long serialVersionUID = 1;

    ValueException(JsonParser p, String why) {
      super(p, why);
    }
  }

  /** Text that can be stored, and is no longer than what it is for. */
  private static final class Text extends StdScalarDeserializer<String> {
    private static final long serialVersionUID = 1;

    Text() {
      super(String.class);
    }

    @Override
    public String deserialize(JsonParser p, DeserializationContext context) throws IOException {
      String text = p.getValueAsString();
      if (text == null) {
        return (String) context.handleUnexpectedToken(String.class, p);
      }
      String field = String.valueOf(p.currentName());
      int longest =
          !LONG.contains(field)
              ? LONGEST_TEXT
              : field.equals("secret") || field.equals("filter")
                  ? LONGEST_SECRET
                  : Endpoints.LIST_BODY;
      if (text.length() > longest) {
        throw invalid(p, "a text of more than " + longest + " characters");
      }
      if (text.indexOf('\0') >= 0) {
        throw invalid(p, "a text with the character U+0000");
      }
      if (!StandardCharsets.UTF_8.newEncoder().canEncode(text)) {
        throw invalid(p, "a text with half a surrogate pair");
      }
      return text;
    }
  }

  /** Decimal numbers of a size that something can have. */
  private static final class Decimal extends StdScalarDeserializer<BigDecimal> {
    private static final long serialVersionUID = 1;

    Decimal() {
      super(BigDecimal.class);
    }

    @Override
    public BigDecimal deserialize(JsonParser p, DeserializationContext context) throws IOException {
      BigDecimal number;
      try {
        number =
            p.currentToken().isNumeric()
                ? p.getDecimalValue()
                : new BigDecimal(p.getText().strip());
      } catch (NumberFormatException e) {
        throw invalid(p, "'" + p.getText() + "' is not a number");
      }
      if (Math.abs((long) number.scale()) > LARGEST_EXPONENT
          || number.precision() > LONGEST_NUMBER) {
        throw invalid(p, "a number out of range");
      }
      return number;
    }
  }

  /** Times of this era. */
  private static final class Moment extends JsonDeserializer<Instant> {

    @Override
    public Instant deserialize(JsonParser p, DeserializationContext context) throws IOException {
      Instant at = InstantDeserializer.INSTANT.deserialize(p, context);
      if (at != null && (at.isBefore(FIRST) || at.isAfter(LAST))) {
        throw invalid(p, "a time before 1970 or after 9999");
      }
      return at;
    }
  }

  /** What is done with a body that was read. */
  interface Work {
    void with(byte[] body) throws Exception;
  }

  /**
   * Reads a body and does the work: bodies that are large one after the other.
   *
   * @param told length that was told, or -1
   * @throws ProblemException 413 if it is longer than it may be, 408 if it comes too slowly, 429 if
   *     too many large ones come at once
   */
  static void read(InputStream in, long told, int longest, Work work) throws Exception {
    if (told > longest) {
      throw tooLong(longest);
    }
    boolean large = longest > LARGE && (told < 0 || told > LARGE);
    if (large && !LARGE_ONES.tryAcquire(LARGE_WAIT_SECONDS, TimeUnit.SECONDS)) {
      throw new ProblemException(
              429, "lists-too-many", "another long list is being read", "send it again in a moment")
          .after(LARGE_WAIT_SECONDS);
    }
    try {
      work.with(bytes(in, longest));
    } finally {
      if (large) {
        LARGE_ONES.release();
      }
    }
  }

  private static byte[] bytes(InputStream in, int longest) throws IOException {
    long until = System.nanoTime() + LONGEST_READ_NS;
    java.io.ByteArrayOutputStream whole = new java.io.ByteArrayOutputStream();
    byte[] part = new byte[32 << 10];
    try {
      for (int n = in.read(part); n >= 0; n = in.read(part)) {
        whole.write(part, 0, n);
        if (whole.size() > longest) {
          throw tooLong(longest);
        }
        if (System.nanoTime() > until) {
          throw new ProblemException(
              408, "body-too-slow", "the body did not come whole in time", "send it again");
        }
      }
    } catch (ProblemException e) {
      throw e;
    } catch (IOException | RuntimeException e) {
      // Cut off, a chunk that is none, or nothing for longer than a connection may be idle.
      throw new ProblemException(
          400, "body-cut-off", "the body could not be read whole", "send it again");
    }
    return whole.toByteArray();
  }

  private static ProblemException tooLong(int longest) {
    return new ProblemException(
        413,
        "body-too-long",
        "the body has more than " + longest + " bytes",
        "send less: a long list in parts");
  }

  /** A body as the record that an endpoint takes. */
  static <T> T parse(byte[] body, Class<T> type) {
    try {
      T value =
          STRICT.readValue(body.length == 0 ? "{}".getBytes(StandardCharsets.UTF_8) : body, type);
      if (value == null) {
        throw new ProblemException(
            400,
            "json-malformed",
            "the body is 'null', not an object",
            "send an object as the API's document at /api/v1/openapi.json says");
      }
      return value;
    } catch (ValueException | InvalidNullException | StreamConstraintsException e) {
      throw ProblemException.invalid(
          "value-invalid",
          "the body can't be taken"
              + where(e)
              + ": "
              + (e instanceof InvalidNullException
                  ? "null in a list"
                  : e.getOriginalMessage().split("\n")[0]),
          "send JSON as the API's document at /api/v1/openapi.json says");
    } catch (JacksonException e) {
      throw new ProblemException(
          400,
          "json-malformed",
          "the body can't be read" + where(e) + ": " + e.getOriginalMessage().split("\n")[0],
          "send JSON as the API's document at /api/v1/openapi.json says");
    } catch (IOException e) {
      throw new IllegalStateException(e);
    }
  }

  private static String where(JacksonException e) {
    String field =
        e instanceof JsonMappingException m
            ? m.getPath().stream()
                .map(JsonMappingException.Reference::getFieldName)
                .filter(name -> name != null)
                .reduce((first, last) -> last)
                .map(name -> " at '" + name + "'")
                .orElse("")
            : "";
    return e.getLocation() == null
        ? field
        : field
            + " (line "
            + e.getLocation().getLineNr()
            + ", column "
            + e.getLocation().getColumnNr()
            + ")";
  }
}
