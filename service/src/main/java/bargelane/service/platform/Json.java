package bargelane.service.platform;

import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.core.type.TypeReference;
import com.fasterxml.jackson.databind.DeserializationContext;
import com.fasterxml.jackson.databind.DeserializationFeature;
import com.fasterxml.jackson.databind.JsonDeserializer;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.SerializationFeature;
import com.fasterxml.jackson.databind.module.SimpleModule;
import com.fasterxml.jackson.databind.node.ObjectNode;
import com.fasterxml.jackson.datatype.jdk8.Jdk8Module;
import com.fasterxml.jackson.datatype.jsr310.JavaTimeModule;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * The service's one JSON mapper: times as ISO 8601 text. Stored documents were written by it, so
 * reading them can't fail.
 */
public final class Json {

  public static final ObjectMapper MAPPER =
      new ObjectMapper()
          .registerModule(new JavaTimeModule())
          .registerModule(new Jdk8Module())
          .disable(SerializationFeature.WRITE_DATES_AS_TIMESTAMPS)
          .disable(SerializationFeature.WRITE_DURATIONS_AS_TIMESTAMPS)
          .disable(DeserializationFeature.FAIL_ON_UNKNOWN_PROPERTIES)
          .registerModule(
              new SimpleModule("remedies").addDeserializer(Remedy.class, new StoredRemedy()));

  /** A remedy as it is stored, and as it was when remedies were text. */
  private static final class StoredRemedy extends JsonDeserializer<Remedy> {

    @Override
    public Remedy deserialize(JsonParser parser, DeserializationContext context)
        throws IOException {
      JsonNode stored = parser.readValueAsTree();
      if (stored.isTextual()) {
        return Remedy.advice(stored.asText());
      }
      List<String> arguments = new ArrayList<>();
      stored.path("arguments").forEach(a -> arguments.add(a.asText()));
      return new Remedy(
          stored.path("advice").asText(),
          Optional.ofNullable(stored.path("action").textValue()).map(Action::valueOf),
          arguments);
    }
  }

  private Json() {}

  public static String text(Object value) {
    try {
      return MAPPER.writeValueAsString(value);
    } catch (JsonProcessingException e) {
      throw new IllegalStateException("can't be written as JSON: " + value.getClass(), e);
    }
  }

  public static <T> T read(String text, Class<T> type) {
    try {
      return MAPPER.readValue(text, type);
    } catch (JsonProcessingException e) {
      throw new IllegalStateException("a stored " + type.getSimpleName() + " can't be read", e);
    }
  }

  public static <T> T read(String text, TypeReference<T> type) {
    try {
      return MAPPER.readValue(text, type);
    } catch (JsonProcessingException e) {
      throw new IllegalStateException("a stored document can't be read", e);
    }
  }

  public static ObjectNode object(String text) {
    return read(text, ObjectNode.class);
  }
}
