package bargelane.service.event;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** Something that happened. */
@Entity
@Table(name = "event")
public class EventEntity {

  @Id
  @GeneratedValue(strategy = GenerationType.IDENTITY)
  public long id;

  public Instant at;

  public String kind;

  public String subject;

  @Column(name = "run_id")
  public String runId;

  public String text;

  /** The account that did it; empty for the service itself. */
  public String actor;

  @JdbcTypeCode(SqlTypes.JSON)
  public String data;
}
