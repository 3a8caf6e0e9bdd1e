package bargelane.service.estate;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** What an estate file was written from, or was last imported as. */
@Entity
@Table(name = "estate_base")
public class EstateBaseEntity {

  @Id public String id;

  /** Pairs of a path and a value, as JSON. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String entries;

  @Column(name = "made_by")
  public String madeBy;

  @Column(name = "made_at")
  public Instant madeAt;

  /** Counted up with each use: of two the one with the higher was used later. */
  public long used;
}
