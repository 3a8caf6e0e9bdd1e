package bargelane.service.assess;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** Prices of a target, as somebody wrote them down. */
@Entity
@Table(name = "price_book")
public class PriceBookEntity {

  @Id public String id;

  public String name;

  public String currency;

  /** As JSON, in the order of their lines. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String prices;

  @Column(name = "made_by")
  public String madeBy;

  @Column(name = "made_at")
  public Instant madeAt;
}
