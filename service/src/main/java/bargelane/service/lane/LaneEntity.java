package bargelane.service.lane;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import jakarta.persistence.Version;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** A lane with its decisions. */
@Entity
@Table(name = "lane")
public class LaneEntity {

  @Id public String id;

  public String name;

  @Column(name = "from_site_id")
  public String fromSiteId;

  @Column(name = "to_site_id")
  public String toSiteId;

  @JdbcTypeCode(SqlTypes.JSON)
  public String plan;

  @Version public long version;
}
