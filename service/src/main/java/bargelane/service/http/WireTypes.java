package bargelane.service.http;

import io.swagger.v3.core.converter.AnnotatedType;
import io.swagger.v3.core.converter.ModelConverters;
import io.swagger.v3.core.converter.ResolvedSchema;
import io.swagger.v3.core.jackson.ModelResolver;
import io.swagger.v3.core.jackson.TypeNameResolver;
import io.swagger.v3.core.util.Json;
import io.swagger.v3.oas.models.media.Schema;
import java.lang.reflect.ParameterizedType;
import java.lang.reflect.RecordComponent;
import java.lang.reflect.Type;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import org.jspecify.annotations.Nullable;

/**
 * Schemas of the wire records. What is given has every field, and null only where the record says
 * so; of what is taken every field may be left out. A record that is both has two schemas, the one
 * that is taken with {@code Asked} behind its name.
 */
final class WireTypes {

  private static final String ASKED = "Asked";

  /** Records inside records bear both names: two records may have a {@code PointView} each. */
  private static final ModelConverters CONVERTERS = converters();

  private static ModelConverters converters() {
    ModelConverters converters = new ModelConverters();
    converters.addConverter(
        new ModelResolver(
            Json.mapper(),
            new TypeNameResolver() {
              @Override
              protected String nameForClass(Class<?> type, Set<Options> options) {
                return plain(type);
              }
            }));
    return converters;
  }

  private static String plain(Class<?> type) {
    Class<?> outer = type.getDeclaringClass();
    return (outer == null ? "" : plain(outer) + ".") + type.getSimpleName();
  }

  private final Map<String, Schema<?>> schemas = new TreeMap<>();
  private final Map<String, Class<?>> given = new LinkedHashMap<>();
  private final Map<String, Class<?>> taken = new LinkedHashMap<>();

  WireTypes(List<Endpoint> endpoints) {
    for (Endpoint e : endpoints) {
      collect(e.gives(), given);
      collect(e.takes(), taken);
    }
    collect(bargelane.api.Problem.class, given);
    given.values().forEach(type -> add(type, true));
    taken.values().forEach(type -> add(type, false));
  }

  /** All schemas by their names. */
  Map<String, Schema<?>> all() {
    return schemas;
  }

  /** A reference to what is given. */
  Schema<?> given(Class<?> type) {
    return new Schema<>().$ref("#/components/schemas/" + plain(type));
  }

  /** A reference to what is taken. */
  Schema<?> taken(Class<?> type) {
    return new Schema<>().$ref("#/components/schemas/" + name(type, false));
  }

  private static void collect(Type type, Map<String, Class<?>> into) {
    if (type instanceof ParameterizedType p) {
      for (Type argument : p.getActualTypeArguments()) {
        collect(argument, into);
      }
    } else if (type instanceof Class<?> c && c.isRecord() && wire(c)) {
      if (into.put(plain(c), c) == null) {
        for (RecordComponent component : c.getRecordComponents()) {
          collect(component.getGenericType(), into);
        }
      }
    }
  }

  private static boolean wire(Class<?> c) {
    return c.getPackageName().equals("bargelane.api");
  }

  private String name(Class<?> type, boolean gives) {
    String name = plain(type);
    return !gives && given.containsKey(name) ? name + ASKED : name;
  }

  private void add(Class<?> type, boolean gives) {
    ResolvedSchema resolved =
        CONVERTERS.resolveAsResolvedSchema(new AnnotatedType(type).resolveAsRef(false));
    Schema<?> schema = resolved.schema;
    schema.setName(null);
    List<String> required = new ArrayList<>();
    Map<String, Schema> properties = new LinkedHashMap<>();
    for (RecordComponent component : type.getRecordComponents()) {
      String field = component.getName();
      Schema<?> property =
          schema.getProperties() == null ? null : schema.getProperties().get(field);
      if (property == null) {
        continue;
      }
      if (!gives) {
        rename(property);
      }
      boolean optional =
          component.getAnnotatedType().isAnnotationPresent(Nullable.class)
              || !gives && !component.getType().isPrimitive();
      if (optional) {
        property = nullable(property);
      }
      if (gives || component.getType().isPrimitive()) {
        required.add(field);
      }
      properties.put(field, property);
    }
    schema.setProperties(properties);
    schema.setRequired(required.isEmpty() ? null : required);
    schemas.put(name(type, gives), schema);
  }

  /** What lies inside something that is taken is taken too. */
  private void rename(Schema<?> schema) {
    if (schema.get$ref() != null) {
      String name = schema.get$ref().substring(schema.get$ref().lastIndexOf('/') + 1);
      if (given.containsKey(name) && taken.containsKey(name)) {
        schema.set$ref("#/components/schemas/" + name + ASKED);
      }
    }
    if (schema.getItems() != null) {
      rename(schema.getItems());
    }
    if (schema.getAdditionalProperties() instanceof Schema<?> inner) {
      rename(inner);
    }
  }

  /** OpenAPI 3.0 says nothing beside a reference: it is wrapped. */
  private static Schema<?> nullable(Schema<?> schema) {
    return schema.get$ref() == null
        ? schema.nullable(true)
        : new Schema<>().nullable(true).addAllOfItem(schema);
  }
}
